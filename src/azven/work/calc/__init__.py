"""Calculations on cases, as they stand in the shared vectors: `azven calc`.

Each kind is a function from the input of a case to its output, which calls what the application uses. What is wrong
with an input is said in a sentence and is the error of that case alone.
"""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from azven.book.formats.errors import FormatError, in_short
from azven.work.calc import bands, chains, network, persons, products, radio, register
from azven.work.calc.given import Kind, plain

FORMAT, VERSION = "azven-results", 1
KINDS: Mapping[str, Kind] = {
    **chains.KINDS, **radio.KINDS, **products.KINDS, **persons.KINDS, **bands.KINDS, **network.KINDS,
    **register.KINDS,
}  # fmt: skip
_MOST = 20_000


def answer(document: Any) -> dict[str, Any]:
    """The results of all cases of a document; FormatError where it holds no cases. A case that is carriers and profiles
    itself is one of intermodulation."""
    cases = document.get("cases") if isinstance(document, Mapping) else None
    if not isinstance(cases, Sequence) or isinstance(cases, str):
        raise FormatError("cases: a list of cases is needed")
    if len(cases) > _MOST:
        raise FormatError(f"cases: {len(cases)}, at most {_MOST}")
    return {"format": FORMAT, "version": VERSION, "results": [_answered(case, i) for i, case in enumerate(cases)]}


def _answered(case: Any, number: int) -> dict[str, Any]:
    if not isinstance(case, Mapping):
        return {"id": str(number), "kind": None, "error": "A case is an object with id, kind and input."}
    if "carriers" in case and "input" not in case:
        case = {"id": case.get("name", str(number)), "kind": "intermod", "input": case}
    head = plain({"id": case.get("id", str(number)), "kind": case.get("kind")})
    kind = KINDS.get(case["kind"]) if isinstance(case.get("kind"), str) else None
    if kind is None:
        return {**head, "error": f"There is no kind {in_short(str(case.get('kind')))}; azven calc --kinds lists them."}
    given = case.get("input")
    if not isinstance(given, Mapping):
        return {**head, "error": "The case has no input."}
    try:
        with np.errstate(divide="raise", over="raise", invalid="raise"):
            return {**head, "output": plain(kind.work(given))}
    except KeyError as error:
        return {**head, "error": f"{in_short(str(error.args[0]))} is missing."}
    except (ValueError, TypeError, AttributeError, ArithmeticError, IndexError) as error:
        return {**head, "error": _sentence(error)}


def _sentence(error: Exception) -> str:
    if not isinstance(error, ValueError | ZeroDivisionError | OverflowError):
        return f"The input cannot be read: {in_short(str(error))}."
    words = in_short(str(error)) or "the input cannot be meant"
    return f"{words[0].upper()}{words[1:]}."
