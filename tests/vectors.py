"""The expected numbers and the public requests, kept in the repository so that a clone stands alone."""

import json
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
DATA = ROOT / "tests" / "data"
REQUESTS = sorted((ROOT / "bench" / "requests").glob("*.json"))


def load(name: str) -> Any:
    return json.loads((DATA / name).read_text(encoding="utf-8"))
