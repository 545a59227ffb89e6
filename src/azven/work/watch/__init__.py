"""Watching racks: what they say is recorded and told."""
