"""Taking a sweep: what it will cost, what came of it, and whether the instrument made some of it itself."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from azven.book.records import Hears
from azven.gear.instrument import Instrument, OnPart, sweep_in_parts
from azven.gear.transport import InstrumentError
from azven.rf.detect import FALLS_DB, Suspect, fall_db, overload_suspects
from azven.rf.levels import Floats
from azven.rf.sweep import Sweep, SweepSettings, narrowest_seen_hz, sweep_time_s

ATTENUATION_DB = 10.0
"""Put in to tell what the instrument makes itself: a third-order product made inside then falls by twice as much."""


@dataclass(frozen=True)
class About:
    """What the user says of a sweep: where, with what, whether our own transmitters were on."""

    place: str
    antenna: str
    own_on: bool = False
    hears: Hears = "everyone"
    note: str = ""


@dataclass(frozen=True)
class Forecast:
    """What a planned sweep will cost and what could hide from it."""

    seconds: float
    narrowest_hz: float
    sentence: str


def forecast(settings: SweepSettings) -> Forecast:
    """Time [s] of a sweep and the width [Hz] below which a carrier may hide between two bins."""
    span = settings.stop_hz - settings.start_hz
    seconds = sweep_time_s(span, settings.rbw_hz)
    narrowest = narrowest_seen_hz(span, settings.rbw_hz, settings.points)
    took = f"{seconds:.1f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
    if narrowest > 0:
        sees = f"may miss carriers narrower than {narrowest / 1e3:.0f} kHz: take more points or a wider RBW"
    else:
        sees = f"finds every carrier; separates carriers that are {settings.rbw_hz / 1e3:.0f} kHz apart"
    return Forecast(seconds, narrowest, f"about {took} · {sees}")


@dataclass(frozen=True)
class Taken:
    """A sweep as it was taken, and what was not as asked for, empty when all was."""

    sweep: Sweep
    remark: str = ""
    made_inside: tuple[Suspect, ...] | None = None
    """What fell behind an attenuator; None when that was not tried."""


def take(
    instrument: Instrument,
    settings: SweepSettings,
    on_part: OnPart,
) -> Taken:
    """Sweep with an instrument, part by part; what arrived before a stop, or before the instrument went away for
    good, is kept.

    Raises InstrumentError when nothing arrived at all, Refusal when nothing usable did.
    """
    freqs: list[NDArray[np.int64]] = []
    levels: list[Floats] = []

    def keep(freq: NDArray[np.int64], level: Floats, share: float) -> bool:
        freqs.append(freq)
        levels.append(level)
        return on_part(freq, level, share)

    remark = ""
    try:
        used = sweep_in_parts(instrument, settings, keep)
    except InstrumentError as error:
        if not freqs:
            raise
        used, remark = settings, f"{error} What had arrived was kept."
    freq, first = np.unique(np.concatenate(freqs), return_index=True)
    level = np.concatenate(levels)[first]
    known = np.isfinite(level)
    if np.count_nonzero(known) < 2:
        raise InstrumentError("The instrument measured nothing that could be kept.")
    if not known.all():
        said = f"{np.count_nonzero(~known)} bins were not measured; channels with such a hole are not known."
        remark = f"{remark} {said}".strip()
    sweep = Sweep(freq[known], level[known], used.rbw_hz, used.detector)
    return Taken(sweep, remark or _clipped(settings, used))


def _clipped(asked: SweepSettings, used: SweepSettings) -> str:
    """What an instrument made of the settings when it could not do as asked."""
    out = []
    if used.start_hz > asked.start_hz + 1 or used.rbw_hz != asked.rbw_hz:
        if used.start_hz > asked.start_hz + 1:
            out.append(f"begins at {used.start_hz / 1e6:g} MHz")
        if used.rbw_hz != asked.rbw_hz:
            out.append(f"uses an RBW of {used.rbw_hz / 1e3:g} kHz")
    return f"The instrument cannot do all that was asked: it {' and '.join(out)}." if out else ""


def take_twice(instrument: Instrument, settings: SweepSettings, on_part: OnPart) -> Taken:
    """Sweep as asked, then with an attenuator in front, and say what the instrument makes itself; there the sweep
    takes over the lower reading.

    A sweep that was cut short or stopped is returned without that. Raises as `take` does.
    """
    stopped = [False]

    def half(first: bool) -> OnPart:
        def part(freq: NDArray[np.int64], level: Floats, share: float) -> bool:
            go_on = on_part(freq, level, share / 2 if first else 0.5 + share / 2)
            stopped[0] = stopped[0] or not go_on
            return go_on

        return part

    plain = take(instrument, settings, half(True))
    if plain.remark or stopped[0]:
        return plain
    behind = replace(settings, attenuation_db=settings.attenuation_db + ATTENUATION_DB)
    try:
        attenuated = take(instrument, behind, half(False))
    except InstrumentError as error:
        return replace(plain, remark=f"{error} The sweep without it was kept.")
    if stopped[0] or len(attenuated.sweep.freq_hz) != len(plain.sweep.freq_hz):
        return plain
    falls = fall_db(plain.sweep, attenuated.sweep) > FALLS_DB
    truer = np.where(falls, attenuated.sweep.level_dbm, plain.sweep.level_dbm)
    found = overload_suspects(plain.sweep, attenuated.sweep)
    return Taken(replace(plain.sweep, level_dbm=truer), plain.remark, tuple(found))


def overload_in_words(taken: Taken) -> str:
    """What putting the attenuator in has shown; empty when it was not tried."""
    if taken.made_inside is None:
        return ""
    if not taken.made_inside:
        return "No level falls with the attenuator: no sign of overload."
    at = ", ".join(f"{found.freq_hz / 1e6:.3f}" for found in taken.made_inside[:3])
    more = f" and at {len(taken.made_inside) - 3} other places" if len(taken.made_inside) > 3 else ""
    return f"Overloaded: what it showed at {at} MHz{more} is made in the instrument, and is left out."
