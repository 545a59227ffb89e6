"""Several desks at one book: who has done what, what collided, and taking back what was done long ago."""
