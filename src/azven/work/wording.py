"""How values are said to people: products by their formula, what broke, why a link moved."""

import unicodedata
from collections.abc import Callable

from azven.rf.coordinate import Ceiling, Move, Rule, Stats, describe
from azven.rf.coordinate.mending import MoveCause
from azven.rf.coordinate.plan import formula_of
from azven.rf.verdict import Clash, Hit

ORDERS = {
    "2a-b": "third order, two signals",
    "a+b-c": "third order, three signals",
    "3a-2b": "fifth order, two signals",
    "3a-b-c": "fifth order, three signals",
    "4a-3b": "seventh order, two signals",
    "5a-4b": "ninth order, two signals",
    "2a": "second harmonic",
    "3a": "third harmonic",
    "a-b": "second order, two signals",
}
_ALSO = {"3a-b-c": "3a − b − c or 2a + b − 2c", "a-b": "a − b or a + b"}
_MOVED: dict[MoveCause, str] = {
    "makes room": "makes room for another link",
    "not allowed": "not allowed where it stood",
    "level": "in danger by level, or the cause of it",
    "rule": "breaks a rule where it stood",
}


def one_line(name: str) -> str:
    """A name as it is shown: one line, without characters that would turn the text beside it round."""
    return "".join(c for c in " ".join(name.split()) if unicodedata.category(c) not in ("Cc", "Cf"))


def mhz(freq_hz: int) -> str:
    """Megahertz with three decimals, more where the step needs it."""
    return f"{freq_hz / 1e6:.3f}" if freq_hz % 1000 == 0 else f"{freq_hz / 1e6:.5f}".rstrip("0")


def decibel(value: float, unit: str = "dBm") -> str:
    return f"{value:.0f} {unit}".replace("-", "−")


def figure(value: object) -> str:
    """A reading without its unit; empty where there is none."""
    return f"{value:.0f}".replace("-", "−") if isinstance(value, int | float) else ""


def over_need(spare_db: float) -> str:
    """Decibels over need, with their sign."""
    return f"{spare_db:+.0f} dB".replace("-", "−")


def khz(value_hz: int) -> str:
    return f"{value_hz / 1e3:g} kHz".replace("-", "−")


def listed(names: list[str], most: int = 1_000) -> str:
    """Names one after another; of more than `most` the rest is a number."""
    if len(names) > most:
        return f"{', '.join(names[:most])} and {len(names) - most} more"
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def formula(kind: str) -> str:
    """A kind of product as people read it: `2a − b`; what is no product stays as it is."""
    return kind.replace("-", " − ").replace("+", " + ") if kind in ORDERS else kind


def formulas(kind: str) -> str:
    """The same with every formula of the kind."""
    return _ALSO.get(kind, formula(kind))


def product(kind: str) -> str:
    """A kind of product with its order in words."""
    return f"{formulas(kind)} ({ORDERS[kind]})" if kind in ORDERS else kind


def proved(found: Ceiling | Stats) -> str:
    """Why no plan places more, for what is missing; empty where that is not known."""
    if found.proof == "no step":
        return "no plan can place more, as what is missing has no step that is free even when it is alone"
    if found.proof == "bound":
        return (
            f"no plan can place more than {found.bound}: more differences of frequencies do not fit into what is free"
        )
    if found.proof == "exact":
        return "no plan can place more: every way was tried"
    return ""


def at_most(found: Ceiling) -> str:
    """What is known about how many links can be placed, as a sentence; empty where nothing is."""
    if why := proved(found):
        return f"{why[0].upper()}{why[1:]}."
    if found.bound is None:
        return ""
    return (
        f"No plan can place more than {found.bound} links here: the differences of more frequencies do not fit into "
        "what is free. Whether that many can be placed is not known."
    )


def said(rule: Rule, name: Callable[[str], str]) -> str:
    """One line for a broken rule; `name` gives what people call an id."""
    if isinstance(rule, Hit):
        made = formula_of(rule.coefficients, [name(s) for s in rule.sources])
        return (
            f"{name(rule.victim)}: product {made} = {rule.product_hz / 1e6:.4f} MHz ({ORDERS[rule.kind]}) "
            f"falls {rule.distance_hz / 1e3:g} kHz away"
        )
    members = rule.ids if isinstance(rule, Clash) else (rule.id,)
    return describe(rule, {m: name(m) for m in members})


def why_moved(move: Move, name: Callable[[str], str]) -> str:
    """Why a link had to move, in one line."""
    if move.broke is None:
        return _MOVED[move.cause]
    more = f" (and {move.more} more)" if move.more else ""
    return said(move.broke, name) + more
