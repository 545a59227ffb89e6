"""What is wrong on the air, and why (`../shared/status-causes.md` defines the causes)."""
