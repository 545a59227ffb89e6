"""The generic models that every new book starts with."""

import json
from importlib.resources import files

from azven.book.records import Model


def generic_models() -> list[Model]:
    """Models by service and modulation, with planning values for spacing and guards; ids are still 0."""
    text = (files("azven") / "data" / "catalogue" / "generic.json").read_text("utf-8")
    return [
        Model(**{**entry, "bands": tuple(tuple(b) for b in entry["bands"])}, builtin=True)
        for entry in json.loads(text)["models"]
    ]
