"""Levels of intermodulation products: made in receivers and made in transmitters.

Levels are dBm, losses positive decibels. Only third order is judged by level; fifth and higher orders
stay with the spacing school.
"""

import math

THREE_SIGNAL_DB = 20 * math.log10(2)
CONVERSION_LOSS_DB = 15.0
ISOLATED_CONVERSION_LOSS_DB = 40.0
COMPRESSION_TO_INTERCEPT_DB = 9.6
NEEDED_DB = {"companded FM voice": 20.0, "in-ear FM stereo": 30.0, "robust digital": 12.0, "dense digital": 20.0}
"""Carrier to interference that a modulation needs [dB], planning values."""


def intercept_dbm(iip3_dbm: float | None, p1db_in_dbm: float | None) -> float | None:
    """Input intercept [dBm]; from the compression point + 9.6 dB when it is not given."""
    if iip3_dbm is not None or p1db_in_dbm is None:
        return iip3_dbm
    return p1db_in_dbm + COMPRESSION_TO_INTERCEPT_DB


def in_receiver_dbm(iip3_dbm: float, pa: float, pb: float, pc: float | None = None) -> float:
    """Product at a receiver's input: 2a − b as 2·Pa + Pb − 2·IIP3; a + b − c as Pa + Pb + Pc − 2·IIP3 + 6.02."""
    if pc is None:
        return 2 * pa + pb - 2 * iip3_dbm
    return pa + pb + pc - 2 * iip3_dbm + THREE_SIGNAL_DB


def in_transmitter_dbm(
    kind: str, host_dbm: float, incoming_dbm: tuple[float, ...], conversion_loss_db: float = CONVERSION_LOSS_DB
) -> float:
    """Product at the output of a host transmitter h from incoming x (and y), form of ITU-R SM.1134.

    `kind` is 2h-x, 2x-h, h+x-y or x+y-h; ValueError for another or for a missing level.
    """
    if kind in ("2h-x", "2x-h") and len(incoming_dbm) == 1:
        x = incoming_dbm[0]
        return (x if kind == "2h-x" else 2 * x - host_dbm) - conversion_loss_db
    if kind in ("h+x-y", "x+y-h") and len(incoming_dbm) == 2:
        return sum(incoming_dbm) - host_dbm - conversion_loss_db + THREE_SIGNAL_DB
    raise ValueError(f"kind must be 2h-x or 2x-h with one level, h+x-y or x+y-h with two, not '{kind}'")
