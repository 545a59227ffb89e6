"""Azven: radio frequency coordination for live events."""

__version__ = "0.4.0"
