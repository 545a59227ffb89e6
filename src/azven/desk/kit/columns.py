"""The columns of Kit's tables: how each field is shown and changed."""

from collections.abc import Callable, Sequence
from datetime import datetime
from itertools import combinations
from typing import Any

from azven.book.edits import Edit
from azven.book.records import SERVICES, USE_CLASSES, Act, Link, Model, Unit, Zone
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.refusal import Refusal
from azven.work import ground, ids, kit
from azven.work.ground.hours import Clock
from azven.work.plan import sheet
from azven.work.wording import formula


def numbered(record: Any) -> str:
    """What tells records of one name apart."""
    return f"no. {abs(record.id)}"


_CHANGES = {False: "one after the other", True: "both may be on"}
_FEW_ACTS = 4
"""Of so few acts every combination is offered, of more those that follow one another."""


def for_links(session: Session) -> list[Column]:
    store, scope = session.store, session.scope

    def change(**values: Callable[[Any], Any]) -> Callable[[Link, Any], bool]:
        (field, convert), *_ = values.items()
        return lambda link, value: session.do(lambda: kit.change_links(store, [link], **{field: convert(value)}))

    def told(kind: type[Any]) -> dict[int, str]:
        """Names by number, those that stand for several told apart."""
        return {ids.number(k): name for k, name in ids.told_apart(store.all(kind), numbered).items()}

    def named(kind: type[Any], key: int | None) -> str:
        return told(kind).get(key, "") if key else ""

    def choices(kind: type[Any], records: Sequence[Any]) -> list[tuple[str, Any]]:
        names = told(kind)
        return [(names[r.id], r.id) for r in records]

    def bands(link: Link) -> list[tuple[str, Any]]:
        return [(b[0], b[0]) for b in store.get(Model, link.model_id).bands]

    def acts_text(link: Link) -> str:
        said = sheet.act_names(link, told(Act))
        return f"{said} ({', '.join(link.acts_gone)} gone)" if kit.acts_note(link) else said

    def note(link: Link) -> str:
        unit = next(iter(store.all(Unit, id=link.unit_id)), None) if link.unit_id else None
        notes = kit.acts_note(link), kit.band_note(link, unit, store.get(Model, link.model_id))
        return " ".join(n for n in notes if n)

    def importances(_: Link) -> list[tuple[str, Any]]:
        return [(f"{k} {v}", k) for k, v in kit.PRIORITIES.items()]

    def roles(_: Link) -> list[tuple[str, Any]]:
        return [("on", (False, False)), ("spare", (True, False)), ("set aside", (False, True))]

    def set_role(link: Link, value: tuple[bool, bool]) -> bool:
        return session.do(lambda: kit.change_links(store, [link], spare=value[0], set_aside=value[1]))

    def act_choices(_: Link) -> list[tuple[str, Any]]:
        acts = kit.acts(store, scope)
        runs = [acts[i:j] for i in range(len(acts)) for j in range(i + 1, len(acts) + 1)]
        if len(acts) <= _FEW_ACTS:
            runs = [list(some) for n in range(1, len(acts) + 1) for some in combinations(acts, n)]
        names = told(Act)
        return [("always", ()), *((", ".join(names[a.id] for a in r), tuple(a.id for a in r)) for r in runs)]

    return [
        Column(title="Name", width=122, show=lambda x: x.name, change=change(name=str)),
        Column(
            title="Model",
            width=150,
            show=lambda x: named(Model, x.model_id),
            change=change(model_id=int),
            choices=lambda _: choices(Model, ground.models(store)),
        ),
        Column(title="Band", width=76, show=lambda x: x.band, change=change(band=str), choices=bands),
        Column(
            title="Room",
            width=92,
            show=lambda x: named(Zone, x.zone_id),
            change=change(zone_id=int),
            choices=lambda _: choices(Zone, ground.zones(store, scope)),
        ),
        Column(
            title="Importance",
            width=84,
            show=lambda x: f"{x.priority} {kit.PRIORITIES.get(x.priority, '')}",
            change=change(priority=int),
            choices=importances,
        ),
        Column(
            title="Spectrum",
            width=70,
            show=lambda x: x.use_class,
            change=change(use_class=str),
            choices=lambda _: [(u, u) for u in USE_CLASSES],
        ),
        Column(
            title="Role",
            width=62,
            show=lambda x: "set aside" if x.set_aside else "spare" if x.spare else "on",
            change=set_role,
            choices=roles,
        ),
        Column(title="Acts", width=128, show=acts_text, change=change(acts=tuple), choices=act_choices, prose=True),
        Column(
            title="Performer",
            width=96,
            show=lambda x: x.performer,
            change=change(performer=str),
            hint="Who wears it. Links of one performer are on one body: judged by level, their packs touch.",
        ),
        Column(
            title="Unit",
            width=78,
            show=lambda x: named(Unit, x.unit_id),
            change=change(unit_id=lambda v: v),
            choices=lambda _: [("none", None), *choices(Unit, kit.units(store, scope))],
        ),
        Column(title="Note", width=240, show=note, prose=True),
    ]


def for_units(session: Session) -> list[Column]:
    store = session.store
    setter = _setter(session)

    def bands(unit: Unit) -> list[tuple[str, Any]]:
        return [(b[0], b[0]) for b in store.get(Model, unit.model_id).bands]

    return [
        Column(title="Name", width=140, show=lambda u: u.name, change=setter("name", str)),
        Column(
            title="Model",
            width=210,
            show=lambda u: store.get(Model, u.model_id).name,
            change=setter("model_id", int),
            choices=lambda _: [(m.name, m.id) for m in ground.models(store)],
        ),
        Column(title="Transmit band", width=100, show=lambda u: u.band, change=setter("band", str), choices=bands),
        Column(
            title="Receive band",
            width=100,
            show=lambda u: u.receiver_band or "same",
            change=setter("receiver_band", str),
            choices=lambda u: [("same", ""), *bands(u)],
        ),
        Column(
            title="Channels", width=70, show=lambda u: str(u.channels), change=setter("channels", _whole), right=True
        ),
        Column(title="Serial", width=110, show=lambda u: u.serial, change=setter("serial", str)),
        Column(title="Note", width=120, show=lambda u: u.note, change=setter("note", str)),
    ]


def for_models(session: Session) -> list[Column]:
    setter = _setter(session)

    def guard(kind: str) -> Column:
        def change(model: Model, text: str) -> bool:
            title = f"{model.name}: guard {formula(kind)}"
            return session.do(lambda: ground.change(model, title, guard_hz={**model.guard_hz, kind: _kilo(text)}))

        return Column(
            title=f"{formula(kind)} kHz",
            width=72,
            show=lambda m: f"{m.guard_hz.get(kind, 0) / 1e3:g}",
            change=change,
            right=True,
        )

    def bands_text(model: Model) -> str:
        return ", ".join(b[0] for b in model.bands)

    return [
        Column(title="Name", width=210, show=lambda m: m.name, change=setter("name", str)),
        Column(
            title="Service",
            width=70,
            show=lambda m: m.service,
            change=setter("service", str),
            choices=lambda _: [(s, s) for s in SERVICES],
        ),
        Column(title="Tuning bands MHz", width=150, show=bands_text, change=setter("bands", _bands)),
        Column(
            title="Step kHz",
            width=62,
            show=lambda m: f"{m.step_hz / 1e3:g}",
            change=setter("step_hz", _kilo),
            right=True,
        ),
        Column(
            title="Power mW",
            width=66,
            show=lambda m: f"{m.power_mw:g}",
            change=setter("power_mw", _positive),
            right=True,
        ),
        Column(
            title="Spacing kHz",
            width=78,
            show=lambda m: f"{m.spacing_hz / 1e3:g}",
            change=setter("spacing_hz", _kilo),
            right=True,
        ),
        *(guard(k) for k in ("2a-b", "a+b-c", "3a-2b")),
    ]


def for_acts(session: Session) -> list[Column]:
    setter = _setter(session)

    def links_in(act: Act) -> str:
        return str(sum(act.id in x.acts or not x.acts for x in kit.links(session.store, session.scope)))

    def clock() -> Clock:
        return ground.here(session.store, session.scope).clock

    def moment(text: Any) -> datetime | None:
        return clock().moment(str(text))

    def change_to_next(act: Act) -> str:
        last = kit.acts(session.store, session.scope)[-1:]
        return "" if act in last else _CHANGES[act.touches_next]

    return [
        Column(title="Act", width=220, show=lambda a: a.name, change=setter("name", str)),
        Column(title="From", width=150, show=lambda a: clock().said(a.starts_at), change=setter("starts_at", moment)),
        Column(title="To", width=150, show=lambda a: clock().said(a.ends_at), change=setter("ends_at", moment)),
        Column(
            title="Change to the next",
            width=130,
            show=change_to_next,
            change=setter("touches_next", bool),
            choices=lambda _: [(text, touches) for touches, text in _CHANGES.items()],
            hint="Whether links of this act may still be on when those of the next one come on. If so, links of both "
            "keep clear of one another, which costs places.",
        ),
        Column(title="Links on", width=80, show=links_in, right=True),
    ]


def _setter(session: Session) -> Callable[[str, Callable[[Any], Any]], Callable[[Any, Any], bool]]:
    """Changes one field of a record; what cannot be read is said, and nothing changes."""

    def make(field: str, convert: Callable[[Any], Any]) -> Callable[[Any, Any], bool]:
        def edit(record: Any, value: Any) -> Edit:
            return ground.change(record, f"{record.name}: {field.replace('_', ' ')}", **{field: convert(value)})

        return lambda record, value: session.do(lambda: edit(record, value))

    return make


def _positive(text: Any) -> float:
    try:
        value = float(str(text).replace(",", "."))
    except ValueError:
        raise Refusal(f"“{text}” is not a number.") from None
    if not 0 < value < 1e6:
        raise Refusal(f"{text} is out of range.")
    return value


def _kilo(text: Any) -> int:
    value = 0.0 if str(text).strip() in ("0", "") else _positive(text)
    return round(value * 1000)


def _whole(text: Any) -> int:
    value = round(_positive(text))
    if not 1 <= value <= 64:
        raise Refusal("Between 1 and 64 channels.")
    return value


def _bands(text: Any) -> tuple[tuple[str, int, int], ...]:
    out = []
    for part in str(text).split(","):
        low, mark, high = part.strip().replace("-", "–").partition("–")
        if not mark:
            raise Refusal(f"A tuning band is written low–high in MHz, not “{part.strip()}”.")
        edges = round(_positive(low) * 1e6), round(_positive(high) * 1e6)
        if edges[0] >= edges[1]:
            raise Refusal(f"The tuning band {part.strip()} ends below its start.")
        out.append((f"{low.strip()}–{high.strip()}", *edges))
    return tuple(out)
