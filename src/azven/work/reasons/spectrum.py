"""Reasons for what is not a link: channels, sweeps, lines, rules, neighbours."""

from datetime import datetime

from azven.book.edits import BookError
from azven.book.records import Neighbour
from azven.book.records import Sweep as SweepRecord
from azven.book.regions import ADVICE, Rule, Territory
from azven.book.store import Store
from azven.rf.sweep import Line
from azven.work import ground, listen
from azven.work.listen import Picture
from azven.work.reasons.told import Option, Reasons
from azven.work.scope import Scope
from azven.work.wording import decibel, khz, mhz


def for_channel(picture: Picture, use: str, name: str, moment: datetime, low_hz: int = 0) -> Reasons | None:
    """Why a raster channel has its class for a use; None when the raster has no such channel."""
    among = picture.shared if low_hz else picture.decisions.get(use, ())
    there = (d for d in among if d.reading.channel.name == name)
    decision = next((d for d in there if low_hz in (0, d.reading.channel.low_hz)), None)
    if decision is None:
        return None
    r = decision.reading
    edges = f"{r.channel.low_hz / 1e6:g}–{r.channel.high_hz / 1e6:g} MHz"
    if r.tolerated_dbm is None:
        why = "No sweep in use for this purpose reaches it."
        if decision.sweep is not None:
            why = f"The sweep at {decision.sweep.place} is damaged: sweep there again, and set that one aside."
        return Reasons(title=f"Channel {name} for {use}", figure=edges, state="unknown", verdict=why)
    rows = [
        ("95 of 100 places in 200 kHz stay below", "covered" if r.high_dbm is None else decibel(r.high_dbm)),
        (f"tolerated for {use} in 200 kHz", decibel(r.tolerated_dbm)),
    ]
    if r.noise_dbm is not None:
        rows.insert(0, ("noise in 200 kHz", decibel(r.noise_dbm)))
    if r.floor_dbm is not None:
        rows.insert(0, ("noise floor", decibel(r.floor_dbm)))
    if r.power_dbm is not None:
        rows.append(("power in the channel", decibel(r.power_dbm)))
    words = {
        "quiet": "It is as quiet as the instrument can see, and below what this use tolerates.",
        "usable": "It is below what this use tolerates, but not as quiet as noise, or the noise floor is not seen.",
        "taken": "It lies above what this use tolerates, or emissions above it leave too little room.",
    }
    origins = []
    if decision.sweep is not None:
        origins = [("decided by", decision.sweep.place), ("antenna", decision.sweep.antenna),
                   ("taken", listen.age(decision.sweep, moment))]  # fmt: skip
    return Reasons(
        title=f"Channel {name} for {use}",
        figure=edges,
        state=r.occupancy,
        verdict=words[r.occupancy],
        arithmetic=tuple(rows),
        origins=tuple(origins),
    )


def for_sweep(record: SweepRecord, store: Store, moment: datetime) -> Reasons:
    """What a sweep is and whether it still counts."""
    used = Option("Set it aside" if record.used else "Use it", "the picture of the spectrum follows",
                  lambda: listen.set_used(record, not record.used))  # fmt: skip
    try:
        sweep = listen.load(store, record)
    except BookError as error:
        sentence = f"{error} No channel it covers counts as quiet: sweep there again and set this one aside."
        return Reasons(
            title=record.place, figure=f"{record.points} bins", state="damaged", verdict=sentence, options=(used,)
        )
    sentence = f"Taken {listen.age(record, moment)}" + (
        ", older than a day: take it again." if listen.is_stale(record, moment) else "."
    )
    if sweep.misses_lines:
        sentence += " Its bins lie further apart than their bandwidth: a narrow line can hide between them."
    if record.own_on:
        sentence += " Our own transmitters were on: lines at our frequencies are not counted as foreign."
    if record.made_inside:
        sentence += f" {_made_inside(record)}"
    rows = (
        ("range", f"{record.low_hz / 1e6:g}–{record.high_hz / 1e6:g} MHz"),
        ("resolution bandwidth", khz(round(record.rbw_hz))),
        ("bins", f"{record.points} every {sweep.spacing_hz / 1e3:.1f} kHz"),
        ("detector", record.detector),
        (
            "counts for",
            {"everyone": "every use", "in-ears": "in-ear packs", "receivers": "microphone receivers"}[record.hears],
        ),
    )
    origins = (("antenna", record.antenna), ("source", record.source or "not said"), ("note", record.note or "none"))
    gone = Option("Remove it", "undo brings it back", lambda: listen.remove_sweep(store, record))
    return Reasons(
        title=record.place,
        figure=f"{record.points} bins",
        state="in use" if record.used else "set aside",
        verdict=sentence,
        arithmetic=rows,
        origins=origins,
        options=(used, gone),
        heading="The sweep",
    )


def _made_inside(record: SweepRecord) -> str:
    at = ", ".join(f"{f / 1e6:.3f}" for f in record.made_inside[:4])
    more = f" and at {len(record.made_inside) - 4} other places" if len(record.made_inside) > 4 else ""
    return (
        f"The instrument was overloaded: at {at} MHz{more} it showed what it makes itself, which fell behind an "
        "attenuator. There the lower reading counts; a filter in front of it would say more."
    )


def for_line(store: Store, scope: Scope, line: Line) -> Reasons:
    """An emission that nobody has claimed."""
    low, high = line.edges_hz
    rows = (("level", decibel(line.level_dbm)), ("from", f"{mhz(low)} MHz"), ("to", f"{mhz(high)} MHz"),
            ("width within 20 dB", khz(line.width_hz)))  # fmt: skip
    options = (
        Option("Claim it as ours", "it is not counted as foreign", lambda: listen.claim(store, scope, line, "ours")),
        Option(
            "It is a neighbour",
            "protected: our products keep off it",
            lambda: listen.claim(store, scope, line, "neighbour"),
        ),
        Option("Keep clear of it", "our links keep their distance", lambda: listen.claim(store, scope, line, "avoid")),
    )
    sentence = "An emission that is neither a neighbour's nor ours. Until then the plan keeps 200 kHz from its edges."
    return Reasons(
        title="Unclaimed line",
        figure=f"{mhz(line.freq_hz)} MHz",
        state="unclaimed",
        verdict=sentence,
        arithmetic=rows,
        origins=(),
        options=options,
        threats=(line.freq_hz,),
    )


def for_rule(region: Territory, rule: Rule) -> Reasons:
    """What a permitted or reserved range says."""
    cap = rule.cap_text() or "none given"
    rows = (("range", f"{rule.low_hz / 1e6:g}–{rule.high_hz / 1e6:g} MHz"), ("power cap", cap),
            ("licence", "needed" if rule.licence else "see condition"))  # fmt: skip
    origins = (("condition", rule.condition or "none given"), ("source", rule.source or "not given"),
               ("region", f"{region.title}, {region.dated}"))  # fmt: skip
    return Reasons(
        title=rule.title,
        figure="",
        state=rule.kind,
        verdict=ADVICE,
        arithmetic=rows,
        origins=origins,
        heading="The rule",
    )


def for_neighbour(store: Store, neighbour: Neighbour) -> Reasons:
    """A foreign frequency and how it is treated."""
    words = {
        "neighbour": "It is protected: our links keep their spacing and our products keep off it.",
        "avoid": "Our links keep their distance; it is not protected from products.",
        "ours": "It is our own signal and does not count as interference.",
    }
    mixing = "It is strong enough to mix with ours." if neighbour.mixes else "It is taken as too weak to mix with ours."
    rows = (("spacing kept", khz(neighbour.spacing_hz)), ("contact", neighbour.contact or "not known"),
            ("note", neighbour.note or "none"))  # fmt: skip
    gone = Option("Remove it", "undo brings it back", lambda: ground.take_out(neighbour, f"Remove {neighbour.name}"))
    return Reasons(
        title=neighbour.name,
        figure=f"{mhz(neighbour.freq_hz)} MHz",
        state=neighbour.kind,
        verdict=f"{words[neighbour.kind]} {mixing}",
        arithmetic=rows,
        origins=(),
        options=(gone,),
        threats=(neighbour.freq_hz,),
    )
