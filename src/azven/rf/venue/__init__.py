"""The simulated venue: one seeded physical model that everything simulated draws on."""

from azven.rf.venue.things import Antenna, Electronics, Emitter, Front, Multiplex, Point, wifi
from azven.rf.venue.world import Venue

__all__ = ["Antenna", "Electronics", "Emitter", "Front", "Multiplex", "Point", "Venue", "wifi"]
