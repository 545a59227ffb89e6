"""Kinds of antenna with their planning values, as rooms and designs call their fields."""

from typing import Any

KINDS: dict[str, dict[str, Any]] = {
    "omni, 2.15 dBi": {"kind": "omni", "gain_dbi": 2.15, "beamwidth_deg": 360.0, "polarisation": "linear"},
    "log-periodic, 6.5 dBi, 100°": {
        "kind": "beam", "gain_dbi": 6.5, "beamwidth_deg": 100.0, "polarisation": "linear",
    },
    "helical, 10 dBi, 60°, circular": {
        "kind": "beam", "gain_dbi": 10.0, "beamwidth_deg": 60.0, "polarisation": "rhcp",
    },
}  # fmt: skip
