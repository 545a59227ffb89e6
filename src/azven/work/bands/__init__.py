"""Bands that everybody shares: who else is there, whose turn it is to look, what a radar would do."""
