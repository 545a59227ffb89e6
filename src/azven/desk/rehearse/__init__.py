"""Rehearse, a part of Watch: what is foretold of the show, who is where in it, and drills."""
