"""Whether a step of the bring-up holds: judged by values alone, what the rack says it is set to, what its status shows
now and in the last seconds. Nothing that is not heard is called good."""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from azven.book.records import ProofStep
from azven.work.prove.need import FULL_OVER_NEED_DB
from azven.work.prove.steps import GAIN_DBFS, HOLD_S, Judged, Seen, State
from azven.work.wording import decibel, mhz

LESS_THAN_RECKONED_DB = 15.0
"""So much under what Reach reckons nobody is served by accident: somebody looks before it is called full."""
LOW_BATTERY, LEAST_LEFT_MIN = 15.0, 60.0
_AUDIBLE_DBFS, _LOUD_S = -50.0, 10.0


def judge(step: ProofStep, seen: Seen) -> Judged:
    """Whether a step holds now."""
    if step != "reset" and not seen.on_channel:
        return Judged("waits", "It has no channel of a rack yet: see Racks.")
    if step not in ("reset", "spare") and not seen.heard:
        return Judged("waits", "Its rack is not heard.")
    found: Judged = _JUDGES[step](seen)
    return found


def _band(seen: Seen) -> Judged:
    card, freq = seen.card, seen.freq_hz
    if freq is None:
        return Judged("waits", "It has no frequency in the plan.")
    if card is None or card.low_hz is None or card.high_hz is None:
        return Judged("by hand", "The unit does not tell its band.")
    span = f"{mhz(card.low_hz)} to {mhz(card.high_hz)}"
    if not card.low_hz <= freq <= card.high_hz:
        return Judged("fails", f"{mhz(freq)} lies outside of the unit's band, {span}.", span)
    return Judged("holds", f"{mhz(freq)} lies in the unit's band.", span, held_s=HOLD_S)


def _same(what: str, wanted: object, there: object, shown: Callable[[object], str]) -> Judged:
    if there is None:
        return Judged("waits", f"The unit has not told its {what} yet.")
    if wanted != there:
        return Judged(
            "fails", f"The unit has {shown(there)}, wanted is {shown(wanted)}.", shown(there), f"{what} of the unit"
        )
    return Judged("holds", f"The unit has it: {shown(wanted)}.", shown(there), held_s=HOLD_S)


def _network(seen: Seen) -> Judged:
    return _same("name", seen.wanted.get("name", seen.name), seen.settings.get("name"), str)


def _frequency(seen: Seen) -> Judged:
    if seen.freq_hz is None:
        return Judged("waits", "It has no frequency in the plan.")
    return _same("frequency", seen.freq_hz, seen.settings.get("freq_hz"), lambda f: mhz(int(str(f))))


def _off(seen: Seen) -> Judged:
    """With the transmitter off nothing may be heard: for five seconds the louder antenna stays under the limit."""
    limit = seen.need.quiet_dbm
    if seen.freq_hz is not None and seen.settings.get("freq_hz") not in (None, seen.freq_hz):
        return Judged("waits", "The receiver is not on the planned frequency yet.", limit_dbm=limit)
    if seen.off is False:
        return Judged("waits", "The transmitter is on.", limit_dbm=limit)
    if seen.traces is None or not len(seen.traces.a):
        return Judged("waits", "No level has come yet.", limit_dbm=limit)
    louder, looks_on = seen.traces.louder, seen.status.get("txf") if seen.is_ear else None
    if looks_on not in (None, seen.freq_hz):
        said = (
            f"The pack listens on {mhz(int(str(looks_on)))}: hold it to the window, then it looks on its new frequency."
        )
        return Judged("waits", said, limit_dbm=limit)
    if np.isnan(louder[-1]):
        looks = (
            "The pack tells no level: switch it on, it looks." if seen.is_ear else "The receiver tells no level now."
        )
        return Judged("waits", looks, limit_dbm=limit)
    now = float(louder[-1])
    quiet = _held(louder <= limit)
    over = now - limit
    beside = f"{abs(over):.0f} dB {'under' if over <= 0 else 'over'} the limit"
    if over > 0:
        return _disturbed(seen, now, beside)
    if seen.off is None:
        said = f"Quiet for {quiet:.0f} s. The unit cannot tell whether its transmitter is off."
        return Judged("by hand", said, decibel(now), beside, limit)
    state: State = "holds" if quiet >= HOLD_S else "waits"
    return Judged(state, f"Quiet for {quiet:.0f} s.", decibel(now), beside, limit, quiet)


def _disturbed(seen: Seen, now_dbm: float, beside: str) -> Judged:
    """Something is heard. Where what Reach reckons stands far enough over it, a person may let it be, nobody else."""
    need, said = seen.need, f"{decibel(now_dbm)} is heard with the transmitter off"
    if seen.reckoned_db is not None:
        ratio = need.level_dbm + seen.reckoned_db - now_dbm
        if ratio >= need.needed_db + FULL_OVER_NEED_DB:
            said = (
                f"{said}. Reach reckons {ratio:.0f} dB over that, {need.needed_db:.0f} are needed: let it be, or not?"
            )
            return Judged("by hand", said, decibel(now_dbm), beside, need.quiet_dbm, disturbed=True)
    said = f"{said}: the frequency is not free."
    return Judged("fails", said, decibel(now_dbm), beside, need.quiet_dbm, disturbed=True)


def _held(good: NDArray[np.bool_]) -> float:
    """For how many seconds the last values have been good."""
    bad = np.flatnonzero(~good)
    return (len(good) - 1 - (int(bad[-1]) if len(bad) else -1)) / 10.0


def _sync(seen: Seen) -> Judged:
    heard, synced = seen.status, seen.synced  # what is heard now outranks what the last sync said
    says = {k: synced.get(k) if heard.get(k) is None else heard[k] for k in ("txf", "txn")}
    if says["txf"] is None and says["txn"] is None:
        return Judged("waits", "The transmitter has not told its frequency and name yet.")
    if seen.freq_hz is not None and says["txf"] not in (None, seen.freq_hz):
        there = mhz(int(says["txf"]))
        said = f"The transmitter is on {there}, the receiver on {mhz(seen.freq_hz)}: sync again."
        return Judged("fails", said, there, "the transmitter says")
    if says["txn"] not in (None, seen.settings.get("name")):
        return Judged("fails", f"The transmitter calls itself {says['txn']}: sync again.", str(says["txn"]), "it says")
    return Judged("holds", "Both ends agree.", mhz(int(says["txf"])) if says["txf"] else "", "", held_s=HOLD_S)


def _on(seen: Seen) -> Judged:
    limit = seen.need.level_dbm + FULL_OVER_NEED_DB
    if seen.is_ear and (seen.off or seen.status.get("tx") == "off"):
        return Judged("waits", "The transmitter is off.", limit_dbm=limit)
    if seen.status.get("tx") != "on" and not (seen.is_ear and seen.status.get("q") is not None):
        txf = seen.status.get("txf")
        if txf is not None and txf != seen.freq_hz:
            return Judged("fails", f"The transmitter is on {mhz(txf)}.", mhz(txf), "the transmitter says", limit)
        return Judged("waits", "The transmitter is not heard.", limit_dbm=limit)
    level = _now_dbm(seen)
    if level is None:
        return Judged("by hand", "The unit tells no level.", limit_dbm=limit)
    spare, quality = level - seen.need.level_dbm, seen.status.get("q")
    beside = f"{spare:.0f} dB over need".replace("-", "−") + (f", {quality:.0f} %" if quality is not None else "")
    if seen.traces is None:
        return Judged("waits", "It has just come on.", decibel(level), beside, limit)
    recent = seen.traces.louder[-30:]
    middle = float(np.nanmedian(recent)) if np.isfinite(recent).any() else level
    if max(middle, level) < limit and len(recent) >= 20:
        said = (
            f"{decibel(middle)} in the middle, {limit - middle:.0f} dB less than wanted: antenna, cable, pack or place."
        )
        return Judged("fails", said, decibel(level), beside, limit)
    reckoned = seen.need.level_dbm + seen.reckoned_db if seen.reckoned_db is not None else None
    if reckoned is not None and len(recent) >= 20 and max(middle, level) < reckoned - LESS_THAN_RECKONED_DB:
        less = f"{reckoned - middle:.0f} dB less than Reach reckons for the stage"
        said = f"Full, but {less}. Is the pack there? Else: antenna, cable, pack."
        return Judged("by hand", said, decibel(level), beside, limit)
    if spent := _spent(seen):
        return Judged("fails", spent, decibel(level), beside, limit)
    good = float(np.mean(seen.traces.q[-30:] >= 90)) if np.isfinite(seen.traces.q[-30:]).any() else 0.0
    state: State = "holds" if good > 0.9 and middle >= limit else "waits"
    return Judged(state, "Full signal." if state == "holds" else "It has to stay for 3 s.", decibel(level),
                  beside, limit, HOLD_S if state == "holds" else 0.0)  # fmt: skip


def _spent(seen: Seen) -> str:
    """What is wrong with a transmitter that is heard; empty for nothing."""
    bat, left = seen.status.get("bat"), seen.status.get("left_min")
    if left is not None and left <= LEAST_LEFT_MIN:
        return f"Its battery lasts {left:.0f} min more: change it before it goes on."
    if bat is not None and bat <= LOW_BATTERY:
        return f"Its battery is at {bat:.0f} %: change it before it goes on."
    return "Its encryption is not that of the receiver: sync it again." if seen.status.get("enc") == "differs" else ""


def _now_dbm(seen: Seen) -> float | None:
    levels = [float(x) for x in (seen.status.get("a"), seen.status.get("b")) if x is not None]
    return max(levels, default=None)


def _dbfs(level: float) -> str:
    return decibel(level, "dBFS")


def _tone(seen: Seen) -> Judged:
    loudest = _loudest(seen)
    if loudest is None:
        return Judged("by hand", "The unit tells no audio level: listen.")
    if seen.status.get("enc") == "differs":
        return Judged("fails", _spent(seen) or "Its encryption differs.", _dbfs(loudest), "loudest in 10 s")
    if seen.status.get("mute"):
        return Judged("fails", "It is muted at the transmitter.", _dbfs(loudest), "loudest in 10 s")
    if loudest < _AUDIBLE_DBFS:
        return Judged("waits", "Nothing is heard of it yet.", _dbfs(loudest), "loudest in 10 s")
    return Judged("by hand", "Audio leaves the unit. Does it arrive where it should?",
                  _dbfs(loudest), "loudest in 10 s")  # fmt: skip


def _loudest(seen: Seen) -> float | None:
    if seen.traces is None or not np.isfinite(seen.traces.af).any():
        return None
    return float(np.nanmax(seen.traces.af[-int(10 * _LOUD_S) :]))


def _gain(seen: Seen) -> Judged:
    loudest = _loudest(seen)
    low, high = GAIN_DBFS[seen.gain_school]
    if loudest is None:
        return Judged("by hand", "The unit tells no audio level.")
    figure = _dbfs(loudest)
    if seen.status.get("clip") or loudest > -1.0:
        return Judged("fails", f"It clips: {loudest - high:.0f} dB less gain.", figure, "loudest in 10 s")
    if loudest > high:
        return Judged(
            "fails", f"Too loud for its headroom: {loudest - high:.0f} dB less gain.", figure, "loudest in 10 s"
        )
    if loudest < _AUDIBLE_DBFS:
        return Judged("waits", "Nothing is heard of it yet.", figure, "loudest in 10 s")
    if loudest < low:
        return Judged("by hand", f"{low - loudest:.0f} dB under where the loudest should lie. Was that the loudest?",
                      figure, "loudest in 10 s")  # fmt: skip
    return Judged("by hand", "It lies where it should. Was that the loudest?", figure, "loudest in 10 s")


def _as_wanted(*keys: str) -> Callable[[Seen], Judged]:
    def judged(seen: Seen) -> Judged:
        there = {k: seen.settings.get(k) for k in keys if k in seen.settings}
        shown = ", ".join(f"{k.replace('_', ' ')} {_word(v)}" for k, v in there.items())
        wanted = {k: seen.wanted[k] for k in keys if k in seen.wanted}
        if not there:
            return Judged("by hand", "The unit does not tell it.")
        if not wanted:
            return Judged("by hand", "Nothing is written of how it should be: look, and say.", shown, "the unit has")
        wrong = {k: v for k, v in wanted.items() if there.get(k) != v}
        if wrong:
            should = ", ".join(f"{k.replace('_', ' ')} {_word(v)}" for k, v in wrong.items())
            return Judged("fails", f"Wanted is {should}.", shown, "the unit has")
        return Judged("holds", "As it should be.", shown, "the unit has", held_s=HOLD_S)

    return judged


def _word(value: object) -> str:
    return {True: "on", False: "off"}.get(value, str(value)) if isinstance(value, bool) else str(value)


def _by_hand(said: str) -> Callable[[Seen], Judged]:
    return lambda seen: Judged("by hand", said)


_JUDGES: Mapping[ProofStep, Callable[[Seen], Judged]] = {
    "reset": _by_hand("Only you know where it comes from."), "band": _band, "network": _network,
    "frequency": _frequency, "off": _off, "sync": _sync, "on": _on, "tone": _tone, "level": _as_wanted("level"),
    "gain": _gain, "lock": _as_wanted("mute_lock"), "squelch": _as_wanted("squelch_db", "tone_key"),
    "spare": _by_hand("Say so when it is done, or leave it open."),
}  # fmt: skip
