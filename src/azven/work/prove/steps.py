"""The fixed order in which a link is brought up: what is done by hand at each step, what must hold (domain, 8).

`judging` says whether a step holds.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

from azven.book.records import PROOF_STEPS, Model, ProofStep
from azven.work.prove.need import FULL_OVER_NEED_DB, Need
from azven.work.wording import mhz

if TYPE_CHECKING:
    from azven.gear.racks.card import ChannelCard
    from azven.gear.racks.values import Fields
    from azven.work.watch.traces import Traces

State = Literal["waits", "holds", "fails", "by hand"]
TITLES: dict[ProofStep, str] = {
    "reset": "reset", "band": "band", "network": "name", "frequency": "frequency", "off": "off", "sync": "in step",
    "on": "on: full", "tone": "tone", "level": "mic, line", "gain": "loudest", "lock": "lock", "squelch": "squelch",
    "spare": "spare",
}  # fmt: skip
TOGETHER: tuple[ProofStep, ...] = ("reset", "band", "network", "frequency")
"""Several links may do these at once; from `off` on there is one transmitter at a time."""
HOLD_S = 5.0
GAIN_DBFS: dict[str, tuple[float, float]] = {"low": (-24.0, -9.0), "loud": (-14.0, -4.0)}
"""Where the loudest voice should lie: low at the transmitter with more at the console, or loud in the air."""


@dataclass(frozen=True, kw_only=True)
class Seen:
    """All that a step is judged by. `settings` and `status` are what the rack says, `traces` what it said in the last
    seconds; `synced` is what the last sync said."""

    name: str
    freq_hz: int | None
    model: Model
    card: "ChannelCard | None"
    settings: "Fields"
    status: "Fields"
    traces: "Traces | None"
    need: Need
    wanted: "Fields" = field(default_factory=dict)
    synced: "Fields" = field(default_factory=dict)
    heard: bool = False
    """Its rack is heard now."""
    on_channel: bool = False
    """It has a channel of a rack."""
    gain_school: str = "low"
    at_console: str = ""
    """Where its audio goes at the console, for in-ears where it comes from; empty where nothing is written of it."""
    reckoned_db: float | None = None
    """What Reach reckons over need in the middle of the places where people are [dB]."""

    @property
    def is_ear(self) -> bool:
        return self.model.service == "in-ear"

    @property
    def off(self) -> bool | None:
        """Whether its transmitter is off; None where the unit cannot tell."""
        if self.is_ear:
            return None if self.settings.get("power_mw") is None else self.settings["power_mw"] == 0
        return {"off": True, "on": False}.get(str(self.status.get("tx")))


@dataclass(frozen=True)
class Judged:
    """How a step stands: a sentence, the figure it hangs on with its unit, its limit, and since how many seconds it
    holds."""

    state: State
    said: str
    figure: str = ""
    beside: str = ""
    limit_dbm: float | None = None
    held_s: float = 0.0
    disturbed: bool = False
    """Something is heard where nothing should be."""


def applies(step: ProofStep, model: Model) -> bool:
    """Whether a link of a model goes through a step: gear that chooses its channel by itself is sent none, an in-ear
    transmitter has no microphone."""
    if step in ("band", "frequency", "off", "sync"):
        return model.choosing == "is set"
    if step in ("level", "squelch", "lock", "gain"):
        return model.service not in ("in-ear", "intercom")
    return True


def steps_of(model: Model) -> tuple[ProofStep, ...]:
    """The steps of a model's links, in order."""
    return tuple(s for s in PROOF_STEPS if applies(s, model))


def order(step: ProofStep, seen: Seen) -> tuple[str, str]:
    """What is to be done, large, and what must hold."""
    made: Callable[[Seen], tuple[str, str]] = _ORDERS[step]
    return made(seen)


def _freq(seen: Seen) -> str:
    return mhz(seen.freq_hz) if seen.freq_hz else "its frequency"


def _say_off(seen: Seen) -> tuple[str, str]:
    freq = _freq(seen)
    if seen.is_ear:
        what = "Switch the transmitter off, sync the pack, look with it."
        return what, f"Nothing may be heard on {freq} for 5 s by the pack, where it will be worn."
    return "Switch the pack off.", f"Nothing may be heard on {freq} for 5 s, on either antenna."


def _say_gain(seen: Seen) -> tuple[str, str]:
    low, high = GAIN_DBFS[seen.gain_school]
    return "Let the loudest voice be heard.", f"It peaks between {low:g} and {high:g} dBFS and does not clip, in 10 s."


def _say_tone(seen: Seen) -> tuple[str, str]:
    if seen.is_ear:
        way = f" from {seen.at_console}" if seen.at_console else ""
        must = f"What comes{way} is heard in that ear, left first. Tones begin at −60 dBFS: see Settings, Line check."
        return "Send the left tone, then the right one.", must
    if not seen.at_console:
        return (
            "Talk, or send a tone.",
            "It arrives at the intended input. Which one is not written down: see Kit, Patch.",
        )
    return "Talk, or send a tone.", f"It arrives at {seen.at_console}, and nowhere else."


_ORDERS: Mapping[ProofStep, Callable[[Seen], tuple[str, str]]] = {
    "reset": lambda s: ("Reset it, if it is new or rented.", "It has factory settings, or is known to be ours."),
    "band": lambda s: ("Look that its band is the right one.", "The planned frequency lies in the band of the unit."),
    "network": lambda s: ("Send its name.", f"The unit calls itself {s.name}."),
    "frequency": lambda s: ("Send its frequency.", f"The unit is on {_freq(s)}."),
    "off": _say_off,
    "sync": lambda s: ("Hold the pack to the window.", "Both ends agree on name and frequency."),
    "on": lambda s: ("Switch the pack on." if not s.is_ear else "Switch the transmitter on.",
                     f"At least {FULL_OVER_NEED_DB:g} dB over need, and all of it arrives."),
    "tone": _say_tone,
    "level": lambda s: ("Look at microphone or line level.", "The unit is set to what it is wired to."),
    "gain": _say_gain,
    "lock": lambda s: ("Look at the mute switch.", "It is locked where the performer should not touch it."),
    "squelch": lambda s: ("Look at squelch and tone key.", "They are as the school prefers."),
    "spare": lambda s: ("Bring the spare in step too.", "A spare of the same kind has been synced."),
}  # fmt: skip
