"""The Reach stage."""
