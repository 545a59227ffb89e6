"""Tokens of racks: in the system's keyring where there is one, never in a book, a log or a file of ours."""

from contextlib import suppress

_SERVICE = "azven rack"


def stored(address: str) -> str | None:
    """The token that the keyring has for an address."""
    ring = _ring()
    with suppress(Exception):  # a keyring lets through whatever its service raises
        found = ring.get_password(_SERVICE, address) if ring else None
        return found or None
    return None


def store(address: str, token: str) -> bool:
    """Give a token to the keyring; False where there is none that keeps it, and it has to be asked for each time."""
    ring = _ring()
    if ring is None:
        return False
    try:
        ring.set_password(_SERVICE, address, token)
    except Exception:  # as above
        return False
    return True


class _Ring:
    def get_password(self, service: str, name: str) -> str | None:
        import keyring

        return keyring.get_password(service, name)

    def set_password(self, service: str, name: str, token: str) -> None:
        import keyring

        keyring.set_password(service, name, token)


def _ring() -> _Ring | None:
    try:
        import keyring
        from keyring.backends import fail

        return None if isinstance(keyring.get_keyring(), fail.Keyring) else _Ring()
    except Exception:  # no backend can be loaded
        return None
