"""The plan stage as it is seen."""
