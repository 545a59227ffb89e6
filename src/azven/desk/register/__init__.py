"""Register: every unit, where it is, what was done with it."""
