"""The register: states of units by their deeds, bookings, what is due, what is astray, links of other campuses."""
