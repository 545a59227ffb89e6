"""Prove on the screen."""
