"""The ground stage as it is seen."""
