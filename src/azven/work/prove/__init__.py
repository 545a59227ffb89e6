"""Prove: racks are found, links brought up in order, rooms walked, the show signed off."""
