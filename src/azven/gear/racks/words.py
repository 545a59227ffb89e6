"""The words and measures of the rack link, in one place (rack link 1)."""

from typing import Literal

PORT = 47_600
LONGEST_LINE = 65_536
"""Bytes of a line with its LF."""
DEEPEST = 32
LARGEST_INT = 2**53
MOST_CHANNELS = 128
MOST_OPEN = 16
MOST_LEVELS = 4_096
LONGEST_TEXT = 64
LONGEST_MESSAGE = 200
RATE_HZ = 10.0
"""What Azven asks for."""

ANSWER_S = 5.0
GET_AGAIN_S = 25.0
PING_AFTER_S = 20.0
SILENT_S, LOST_S = 3.0, 10.0
TRY_S = 5.0
RETRY_S = (0.5, 1.0, 2.0, 4.0, 8.0, 10.0)
SPREAD = 0.2
"""Up to so much of a wait is added at random."""
AFTER_REFUSAL_S = 10.0
STEADY_S = 10.0
"""A link that brought frames for so long was a good one: the next wait is the shortest again."""
BAD_LINES, BAD_WITHIN_S = 20, 60.0
STALL_S, CATCH_UP = 10.0, 1.25
"""A bucket holds so many seconds of frames and fills so many times as fast as they may come."""
OTHERS_HELD, OTHERS_HZ = 500.0, 50.0

Word = Literal["type", "range", "channel", "name", "clock", "long", "text", "rpc", "unasked", "order", "flood"]
"""What could not be taken, by its reason."""

NOT_ALLOWED, BUSY, LOCKED, CHANGED, NO_TRANSMITTER = 1, 2, 3, 4, 5
NOT_SUPPORTED, OUTSIDE, ON_AIR = 6, 7, 8
PARSE, NO_CALL, NO_METHOD, WRONG_PARAMS = -32_700, -32_600, -32_601, -32_602

READINGS = frozenset({"hello", "subscribe", "snapshot", "get", "ping"})
"""What Azven sends of itself; everything else changes something, and was asked for by a person."""
CHANGES = frozenset(
    {"set", "sync", "pair", "unpair", "locate", "tone", "scan", "stop_scan", "reset", "network"}
)  # fmt: skip

LEVEL = (-160.0, 40.0)
NUMBERS: dict[str, tuple[float, float]] = {
    "a": LEVEL, "b": LEVEL, "q": (0.0, 100.0), "af": LEVEL, "bat": (0.0, 100.0), "left_min": (0.0, 100_000.0),
    "noise": LEVEL, "temp": (-60.0, 150.0),
}  # fmt: skip
CHOICES: dict[str, frozenset[str]] = {
    "use": frozenset({"a", "b", "ab", "-"}), "tx": frozenset({"on", "off", "unknown"}),
    "enc": frozenset({"off", "ok", "differs"}),
}  # fmt: skip
FLAGS = frozenset({"clip", "mute", "hp"})
TRANSMITTER_HZ = (1, 10**11)

SettingType = Literal["int", "number", "bool", "text"]
SETTINGS: dict[str, SettingType] = {
    "freq_hz": "int", "name": "text", "gain_db": "number", "squelch_db": "number", "tone_key": "bool", "mute": "bool",
    "mute_lock": "bool", "level": "text", "low_cut_hz": "number", "power_mw": "number", "stereo": "bool",
    "volume_db": "number", "volume_min_db": "number", "volume_max_db": "number", "mode": "text", "carrier": "text",
    "group": "text", "channel_in_group": "int", "band": "text",
}  # fmt: skip
