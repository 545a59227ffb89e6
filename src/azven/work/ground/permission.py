"""What is permitted here: the rules of the territory, licences of our own, recorded overrides; the strictest wins."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from itertools import pairwise

from azven.book.edits import Edit, add
from azven.book.reading import Reading
from azven.book.records import Act, Model, Permit, PermitKind
from azven.book.regions import Rule, Territory
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.levels import dbm, milliwatts
from azven.work import ground, kit
from azven.work.scope import Scope

_DIPOLE_DBI = 2.15
"""What EIRP is over e.r.p."""
_ALLOWANCE = 1.03
"""A cap is not broken by rounding: 0.1 dB."""


def permitted(
    region: Territory | None, low_hz: int, high_hz: int, permits: Sequence[Permit] = (), acts: Sequence[Act] = ()
) -> list[tuple[int, int, Rule | None]]:
    """`[low_hz, high_hz]` cut at every rule edge; each piece with the rule that decides, None = not permitted.

    A recorded override beats everything. Else a reserved range beats a permitted one, of several permitted ones the
    lowest cap decides, and where a rule asks for a licence and licences are written down, one of them has to cover the
    piece for all `acts`: the stricter cap of rule and licence holds.
    """
    holding = in_force(permits, acts)
    overrides = [p for p in holding if p.kind == "override"]
    licences = [p for p in holding if p.kind == "licence"]
    written = any(p.kind == "licence" for p in permits)
    rules = list(region.rules) if region is not None else [_no_region(low_hz, high_hz)]
    ends = [e for r in rules for e in (r.low_hz, r.high_hz)] + [e for p in permits for e in (p.low_hz, p.high_hz)]
    cuts = sorted({low_hz, high_hz, *(e for e in ends if low_hz < e < high_hz)})
    out: list[tuple[int, int, Rule | None]] = []
    for a, b in pairwise(cuts):
        held = next((p for p in overrides if p.low_hz <= a and b <= p.high_hz), None)
        if held is not None:
            out.append(
                (
                    a,
                    b,
                    Rule(
                        low_hz=held.low_hz,
                        high_hz=held.high_hz,
                        kind="permitted",
                        title=f"override: {held.name}",
                        power_mw=held.power_mw,
                    ),
                )
            )
            continue
        over = [r for r in rules if r.low_hz <= a and b <= r.high_hz]
        over.sort(key=lambda r: (r.kind != "reserved", r.power_mw if r.power_mw is not None else 1e9))
        out.append((a, b, _licensed(over[0], licences if written else None, a, b) if over else None))
    return out


def rule_at(store: Reading, scope: Scope, freq_hz: int) -> Rule | None:
    """The rule that decides at a frequency [Hz]; None where nothing is permitted or no region is chosen."""
    place = ground.here(store, scope)
    if place.region is None:
        return None
    return permitted(place.region, freq_hz, freq_hz + 1, place.permits, kit.acts(store, scope))[0][2]


def _no_region(low_hz: int, high_hz: int) -> Rule:
    return Rule(low_hz=low_hz, high_hz=high_hz, kind="permitted", title="no region chosen")


def _licensed(rule: Rule, licences: Sequence[Permit] | None, low_hz: int, high_hz: int) -> Rule | None:
    """The rule with the licence that covers the piece; None where one is asked for and none covers it. `licences` None:
    nobody has written any down."""
    if rule.kind == "reserved" or not rule.licence or licences is None:
        return rule
    covering = [p for p in licences if p.low_hz <= low_hz and high_hz <= p.high_hz]
    if not covering:
        return None
    held = min(covering, key=lambda p: p.power_mw if p.power_mw is not None else 1e9)
    caps = [c for c in (rule.power_mw, held.power_mw) if c is not None]
    stricter = held.power_mw is not None and held.power_mw <= (rule.power_mw or 1e9)
    title = f"licence {held.name}" if stricter else f"{rule.title} (licence {held.name})"
    return replace(rule, title=title, power_mw=min(caps, default=None))


def permits(store: Reading, scope: Scope) -> list[Permit]:
    """Licences and overrides of the site, by frequency."""
    return sorted(store.all(Permit, site_id=scope.site), key=lambda p: (p.low_hz, p.id))


def add_permit(
    store: Store,
    scope: Scope,
    kind: PermitKind,
    name: str,
    low_hz: int,
    high_hz: int,
    power_mw: float | None = None,
    note: str = "",
) -> Edit:
    """Write down a licence, or a decision to plan outside permission with its reason. Refusal when it is not one."""
    if not low_hz < high_hz:
        raise Refusal("A licence has to end above its start.")
    if kind == "override" and not note.strip():
        raise Refusal("An override needs a reason; it is kept with it and printed on the sheet.")
    ground.check_frequency(low_hz)
    ground.check_frequency(high_hz)
    permit = Permit(
        id=store.reserve(), site_id=scope.site, name=name.strip() or kind, kind=kind, low_hz=low_hz,
        high_hz=high_hz, power_mw=power_mw, note=note.strip(),
    )  # fmt: skip
    return Edit(f"{kind.capitalize()} {permit.name}", add(permit))


def in_force(permits: Sequence[Permit], acts: Sequence[Act]) -> tuple[Permit, ...]:
    """Those that hold from the first act to the last; where an act has no times, dates of permits are not looked at."""
    times = [(a.starts_at, a.ends_at or a.starts_at) for a in acts]
    if not times or any(t is None for pair in times for t in pair):
        return tuple(permits)
    first = min(start for start, _ in times if start is not None)
    last = max(end for _, end in times if end is not None)
    return tuple(
        p for p in permits
        if (p.starts_at is None or p.starts_at <= first) and (p.ends_at is None or p.ends_at >= last)
    )  # fmt: skip


def set_dates(permit: Permit, starts_at: datetime | None, ends_at: datetime | None) -> Edit:
    """From when to when a permit holds; None: open. Refusal when it would end before it begins."""
    if starts_at is not None and ends_at is not None and ends_at <= starts_at:
        raise Refusal("A licence has to end after it begins.")
    return ground.change(permit, f"Dates of {permit.name}", starts_at=starts_at, ends_at=ends_at)


def over_cap(model: Model, rule: Rule) -> str:
    """What is wrong with the power of a model under a rule, empty when nothing is.

    The antenna of a rack transmitter is not known here and taken as a dipole; the worn antenna of the model counts for
    the others. Where a rule allows more on the body, that cap is compared.
    """
    conducted = float(dbm(model.power_mw))
    gain = _DIPOLE_DBI if model.service == "in-ear" else model.gain_dbi
    sent = excess_mw(rule, conducted, conducted + gain, rule.body_power_mw)
    return "" if sent is None else f"{rule.title} allows {rule.cap_text()}; {model.name} sends {sent:.3g}"


def excess_mw(rule: Rule, conducted_dbm: float, eirp_dbm: float, body_power_mw: float | None = None) -> float | None:
    """What a carrier sends [mW] in the kind of power that the rule caps, if that is more than the cap, or than that on
    the body where it is given; None otherwise."""
    if rule.power_mw is None:
        return None
    levels = {"conducted": conducted_dbm, "EIRP": eirp_dbm, "e.r.p.": eirp_dbm - _DIPOLE_DBI}
    sent = float(milliwatts(levels[rule.power_kind]))
    return sent if sent > _ALLOWANCE * (body_power_mw or rule.power_mw) else None
