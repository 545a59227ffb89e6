"""The expected numbers that every part of the project shares."""

import json
from pathlib import Path
from typing import Any

SHARED = Path(__file__).resolve().parents[2] / "shared"
REQUESTS = sorted((SHARED / "bench" / "requests").glob("*.json"))


def load(name: str) -> Any:
    return json.loads((SHARED / "vectors" / name).read_text(encoding="utf-8"))
