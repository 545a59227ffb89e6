"""Antenna systems: what blocks joined as a tree do to noise, signals and products."""
