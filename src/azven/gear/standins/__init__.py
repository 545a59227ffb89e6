"""Stand-ins for what stands in racks: they speak the rack link on a loopback port and take what they show from the
simulated venue."""
