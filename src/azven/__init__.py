"""Azven: radio frequency coordination for live events."""

__version__ = "0.1.0"
