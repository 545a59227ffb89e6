"""The kit stage as it is seen."""
