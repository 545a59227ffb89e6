"""The listen stage as it is seen."""
