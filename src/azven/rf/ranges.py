"""How far a link reaches against noise alone: planning figures to compare equipment by."""

from azven.rf.levels import indoor_db, thermal_noise_dbm
from azven.rf.links import level_kept
from azven.rf.radios import Radio, Room

_LEAST_M, _MOST_M = 0.1, 100_000.0


def range_m(radio: Radio, room: Room, freq_hz: int, antennas: int = 2) -> float:
    """The distance [m] at which a link holds for 99 % of a Rayleigh field against thermal noise: power and antennas,
    less the body and the indoor path (form of ITU-R P.1238) of the room's exponent, over noise and what the receiver
    needs. `antennas` of a diversity receiver are independent. 0.1 m where it does not even hold there."""
    antenna = room.best_gain_dbi("transmit" if radio.fixed else "receive")
    kept = level_kept([0.0] * (1 if radio.fixed else antennas))
    sent = radio.power_dbm + radio.gain_dbi + antenna - radio.body_db + kept
    floor = float(thermal_noise_dbm(radio.bandwidth_hz, radio.nf_db)) + radio.needed_db
    low, high = _LEAST_M, _MOST_M
    while high / low > 1.001:
        middle = (low * high) ** 0.5
        holds = sent - float(indoor_db(freq_hz, middle, room.exponent)) >= floor
        low, high = (middle, high) if holds else (low, middle)
    return low
