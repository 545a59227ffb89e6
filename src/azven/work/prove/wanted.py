"""How each link's unit is to be set: written down, from templates, or taken over from the units. Consoles do not
remember it, the book does."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Change, Edit, add, replace_record
from azven.book.records import Link, Model, Wanted
from azven.book.store import Store
from azven.gear.racks.words import SETTINGS
from azven.refusal import Refusal
from azven.work.scope import Scope

_BOOLS = {"on": True, "yes": True, "off": False, "no": False}


@dataclass(frozen=True)
class Setting:
    """A setting that is written down for links: its name on the rack link, its title with the unit, for which gear."""

    key: str
    title: str
    services: tuple[str, ...] = ("voice", "data", "intercom", "in-ear")
    hint: str = ""


_VOICE = ("voice", "data", "intercom")
KEPT: tuple[Setting, ...] = (
    Setting("gain_db", "Gain, dB", _VOICE, "At the receiver; with a digital way to the console the only one."),
    Setting("level", "Mic or line", _VOICE),
    Setting("low_cut_hz", "Low cut, Hz", _VOICE),
    Setting("squelch_db", "Squelch, dB", _VOICE, "Higher: silent earlier. Lower: farther, with more noise."),
    Setting("tone_key", "Tone key", _VOICE, "Opens only for its own transmitter"),
    Setting("mute_lock", "Mute lock", _VOICE, "Locked where the performer should not touch the switch"),
    Setting("power_mw", "Power, mW", ("in-ear",)),
    Setting("stereo", "Stereo", ("in-ear",)),
    Setting("volume_db", "Volume, dB", ("in-ear",), "Harm to hearing stays: begin low, let the wearer turn up."),
    Setting("volume_min_db", "At least, dB", ("in-ear",), "The wearer cannot turn it down below this."),
    Setting("volume_max_db", "At most, dB", ("in-ear",), "A limit; it does not say what arrives at the ear."),
)
TEMPLATES: Mapping[str, Mapping[str, Any]] = {
    "voice, low at the transmitter": {"gain_db": 0, "level": "mic", "low_cut_hz": 80, "squelch_db": 6, "tone_key": True,
                                      "mute_lock": True},
    "voice, loud in the air": {"gain_db": -6, "level": "mic", "low_cut_hz": 80, "squelch_db": 6, "tone_key": True,
                               "mute_lock": True},
    "own mute switch": {"mute_lock": False},
    "in-ear, stereo, careful": {"stereo": True, "volume_db": -20, "volume_max_db": -6},
}  # fmt: skip
"""What the schools would set; what a link's gear does not have is left out."""


def parsed(key: str, text: str) -> Any:
    """The value that a text says; None for an empty one, which wants nothing. Refusal for one that is none."""
    said = text.strip().replace("−", "-")
    if not said:
        return None
    kind = SETTINGS[key]
    if kind == "text":
        return said
    if kind == "bool":
        if said.casefold() not in _BOOLS:
            raise Refusal(f"“{said}” is neither on nor off.")
        return _BOOLS[said.casefold()]
    try:
        value = float(said)
    except ValueError:
        raise Refusal(f"“{said}” is no number.") from None
    return int(value) if value == int(value) else value


def set_value(store: Store, scope: Scope, links: Sequence[Link], key: str, value: Any) -> Edit:
    """Want a setting of links; None wants nothing any more."""
    return _changed(store, scope, {x: {key: value} for x in links}, key)


def template(
    store: Store, scope: Scope, links: Sequence[tuple[Link, Model, Mapping[str, Any]]], name: str
) -> Edit:  # fmt: skip
    """Want what a template says of links, as far as their gear has it: what their units say, where those are heard."""
    fit = {s.key: s.services for s in KEPT}
    values = {
        link: {k: v for k, v in TEMPLATES[name].items() if model.service in fit[k] and (not there or k in there)}
        for link, model, there in links
    }
    return _changed(store, scope, values, name)


def take_over(store: Store, scope: Scope, there: Mapping[Link, Mapping[str, Any]]) -> Edit:
    """Want what the units are set to now, so that it can be put back."""
    kept = {s.key for s in KEPT}
    values = {link: {k: v for k, v in has.items() if k in kept and v is not None} for link, has in there.items()}
    return _changed(store, scope, values, "as the units are")


def _changed(store: Store, scope: Scope, values: Mapping[Link, Mapping[str, Any]], what: str) -> Edit:
    known = {w.link_id: w for w in store.all(Wanted, show_id=scope.show)}
    new = [link for link in values if link.id not in known]
    first = store.reserve(len(new)) if new else 0
    changes: tuple[Change, ...] = ()
    for link, told in values.items():
        before = known.get(link.id)
        merged = {**(before.settings if before else {}), **told}
        settings = {k: v for k, v in merged.items() if v is not None}
        if before is not None:
            if settings != before.settings:
                changes += replace_record(before, replace(before, settings=settings))
        elif settings:
            changes += add(Wanted(id=first + new.index(link), show_id=scope.show, link_id=link.id, settings=settings))
    count = len(values)
    return Edit(f"Settings of {count} link{'s' if count != 1 else ''}: {what}", changes)
