"""Certificates of racks, as they were when first seen: SHA-256 by address and by rack. Kept beside no book."""

import json
import os
from pathlib import Path

from azven.refusal import Refusal


class Trust:
    """Remembers fingerprints, in a file where it has a `path`."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path
        self._known: dict[str, str] = {}
        if path is not None and path.exists():
            self._known = _read(path)

    def of_address(self, address: str) -> str | None:
        """The fingerprint that an address had."""
        return self._known.get(f"address {address}")

    def of_rack(self, rack_id: str) -> str | None:
        """The fingerprint that a rack had."""
        return self._known.get(f"rack {rack_id}")

    def remember(self, address: str, rack_id: str, fingerprint: str) -> bool:
        """Keep a fingerprint for both; whether it is new."""
        new = {f"address {address}": fingerprint, f"rack {rack_id}": fingerprint}
        if new.items() <= self._known.items():
            return False
        self._known |= new
        self._write()
        return True

    def forget(self, address: str, rack_id: str | None) -> None:
        """A person says that the certificate was changed on purpose."""
        for key in (f"address {address}", f"rack {rack_id}"):
            self._known.pop(key, None)
        self._write()

    def _write(self) -> None:
        if self._path is not None:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            beside = self._path.with_suffix(".new")
            beside.write_text(json.dumps(self._known, indent=1, sort_keys=True), encoding="utf-8")
            os.replace(beside, self._path)


def _read(path: Path) -> dict[str, str]:
    try:
        known = json.loads(path.read_text(encoding="utf-8"))
        if isinstance(known, dict) and all(isinstance(v, str) for v in known.values()):
            return known
    except (OSError, ValueError):
        pass
    raise Refusal(
        f"The remembered certificates in {path} cannot be read. Nothing was changed; repair or remove the file."
    )
