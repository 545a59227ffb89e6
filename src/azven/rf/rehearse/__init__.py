"""The show before load-in: acts played in the simulated venue, judged as Watch judges the real ones."""
