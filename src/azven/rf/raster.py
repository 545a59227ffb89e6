"""Numbered channels of radio systems: edges and centre by system and number (domain, sections 3 and 7)."""

from dataclasses import dataclass

_MHZ = 1_000_000
SYSTEMS = ("tv6", "tv7", "tv8", "wifi24", "wifi5", "dect-eu", "dect-us")
_WIFI_5 = (*range(36, 65, 4), *range(100, 145, 4), *range(149, 166, 4))
_DECT_HZ, _DECT_EU_HZ, _DECT_US_HZ = 1_728_000, 1_897_344_000, 1_921_536_000


@dataclass(frozen=True)
class Numbered:
    """A channel [Hz]."""

    low_hz: int
    centre_hz: int
    high_hz: int


def numbered(system: str, number: int) -> Numbered:
    """A channel by its number; ValueError for another system, or for a number that it does not have."""
    if system not in SYSTEMS:
        raise ValueError(f"the system must be one of {', '.join(SYSTEMS)}, not {str(system)[:40]!r}")
    found = _centre_and_width(system, number)
    if found is None:
        raise ValueError(f"{system} has no channel {str(number)[:40]}")
    centre, width = found
    return Numbered(centre - width // 2, centre, centre + width // 2)


def _centre_and_width(system: str, number: int) -> tuple[int, int] | None:
    television = {"tv6": (14, 36, 470, 6), "tv7": (5, 12, 174, 7), "tv8": (21, 48, 470, 8)}
    if system in television:
        first, last, low, width = television[system]
        inside = first <= number <= last
        return (low * _MHZ + width * _MHZ * (number - first) + width * _MHZ // 2, width * _MHZ) if inside else None
    if system == "wifi24":
        return (2_407 * _MHZ + 5 * _MHZ * number, 20 * _MHZ) if 1 <= number <= 13 else None
    if system == "wifi5":
        return (5_000 * _MHZ + 5 * _MHZ * number, 20 * _MHZ) if number in _WIFI_5 else None
    if system == "dect-eu":
        return (_DECT_EU_HZ - _DECT_HZ * number, _DECT_HZ) if 0 <= number <= 9 else None
    return (_DECT_US_HZ + _DECT_HZ * (27 - number), _DECT_HZ) if 23 <= number <= 27 else None
