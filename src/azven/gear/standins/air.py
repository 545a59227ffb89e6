"""What stand-in racks show: the venue's reception, put into the fields of the rack link."""

import math
import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from azven.gear.standins.things import Channel, Fields, Pack
from azven.rf.levels import Floats
from azven.rf.sweep import SweepSettings
from azven.rf.venue import Venue
from azven.rf.venue.reception import Carried, Reception, Shown
from azven.rf.venue.things import Antenna

_TICK_S = 0.1
_AT_EASE, _MOST_EASE_S = 2.0, 0.3
"""On a busy machine what is shown is worked out less often: two thirds of the time are for everything else."""
_DECODED_DB, _LEAST_DBM = 3.0, -125.0
_SILENCE_DBFS, _VOICE_DBFS, _CLIP_DBFS = -96.0, -26.0, -0.5
_RACK_WARM_C = 34.0


@dataclass(frozen=True)
class Seat:
    """A channel in the venue: what its transmitter is like and how it is worn (1 on the back, −1 in front)."""

    channel: Channel
    bandwidth_hz: float = 200_000.0
    body_db: float = 10.0
    gain_dbi: float = 0.0
    behind: float = 1.0
    digital: bool = False


class Air:
    """The channels of all racks in one venue. `clock` gives seconds; what is shown is worked out ten times a second."""

    def __init__(self, reception: Reception, seats: Sequence[Seat], clock: Callable[[], float], seed: int = 1) -> None:
        self.reception, self.seats = reception, seats
        self._clock, self._seed = clock, seed
        self._due_s = 0.0
        self._last_s = clock()
        self._fields: list[Fields] = []
        self._loud = [random.Random(seed + i).uniform(-4, 4) for i in range(len(seats))]
        for i, seat in enumerate(seats):
            seat.channel.show = self._shower(i)
            seat.channel.heard_dbm = self._scanner(i)

    def _shower(self, i: int) -> Callable[[], Fields]:
        return lambda: self._now()[i]

    def _scanner(self, i: int) -> Callable[[Floats], Floats]:
        return lambda freq_hz: self._scan(i, freq_hz)

    def _now(self) -> list[Fields]:
        now_s = self._clock()
        if now_s >= self._due_s:
            self._age(now_s)
            sent, tuned = self.carried(), self.tuned_hz()
            shown = self.reception.shown(now_s, tuned, sent)
            quality = self.reception.quality(shown)
            on = sent.on.tolist()
            self._fields = [self._field(i, shown, float(quality[i]), now_s, on[i]) for i in range(len(self.seats))]
            done_s = self._clock()
            self._due_s = max(now_s + _TICK_S, done_s + min(_AT_EASE * (done_s - now_s), _MOST_EASE_S))
        return self._fields

    def _age(self, now_s: float) -> None:
        """Batteries run while their packs are on."""
        passed_min = (now_s - self._last_s) / 60
        self._last_s = now_s
        for seat in self.seats:
            if seat.channel.pack is not None and seat.channel.pack.on:
                seat.channel.pack.used_min += passed_min

    def carried(self) -> Carried:
        """What is on the air of ours now."""
        n = len(self.seats)
        on, freq, power = np.zeros(n, bool), np.full(n, 1e9), np.zeros(n)
        for i, seat in enumerate(self.seats):
            channel, pack = seat.channel, seat.channel.pack
            if channel.direction == "out":
                mw = float(channel.settings.get("power_mw", 30.0))
                on[i], freq[i] = mw > 0, channel.tuned_hz
            elif pack is not None:
                mw = pack.power_mw
                on[i], freq[i] = pack.radiates, pack.freq_hz
            else:
                mw = 1.0
            power[i] = 10 * math.log10(max(mw, 1e-9)) + seat.gain_dbi
        return Carried(
            on=on, freq_hz=freq, power_dbm=power, bandwidth_hz=np.array([s.bandwidth_hz / 2 for s in self.seats]),
            body_db=np.array([s.body_db for s in self.seats]), behind=np.array([s.behind for s in self.seats]),
        )  # fmt: skip

    def world(self) -> Venue:
        """The venue with what is on of ours now."""
        return self.reception.world(self.carried(), self.reception.places(self._clock())[0])

    def tuned_hz(self) -> Floats:
        """What every receiver is tuned to; an in-ear pack to what it was last synced with."""
        tuned = []
        for seat in self.seats:
            pack = seat.channel.pack
            worn = seat.channel.direction == "out" and pack is not None
            tuned.append(pack.freq_hz if worn and pack is not None else seat.channel.tuned_hz)
        return np.array(tuned, float)

    def _field(self, i: int, shown: Shown, quality: float, now_s: float, on: bool) -> Fields:
        """Status of a channel whose transmitter was `on` when it was measured."""
        channel = self.seats[i].channel
        if channel.direction == "out":
            return self._ear(i, shown, quality, now_s)
        pack = channel.pack
        levels, ratio = shown.level_dbm[i], shown.ratio_db[i]
        sides = [_half(x) for x in levels if not math.isnan(x)]
        best = int(np.nanargmax(ratio))
        there = on and float(np.nanmax(ratio)) > _DECODED_DB
        fields: Fields = {"a": sides[0], "use": "ab"[best] if there else "-", "q": round(100 * quality) if there else 0}
        if len(sides) > 1:
            fields["b"] = sides[1]
        fields |= {"tx": "on" if there else "off", "temp": _RACK_WARM_C,
                   "noise": None if there else _half(float(np.nanmax(shown.rest_dbm[i])))}  # fmt: skip
        if there and pack is not None:
            fields |= self._told(pack) | {"mute": pack.mute, "enc": pack.enc}
        else:
            fields |= dict.fromkeys(("txf", "txn", "bat", "left_min", "mute", "enc"))
        return fields | self._audio(i, there, float(np.nanmax(ratio)), now_s)

    def _ear(self, i: int, shown: Shown, quality: float, now_s: float) -> Fields:
        channel = self.seats[i].channel
        pack, sends = channel.pack, float(channel.settings.get("power_mw", 30.0)) > 0
        known: Fields = {"tx": "on" if sends else "off", "af": self._voice(i, now_s)}
        if pack is None or not pack.radiates:
            return dict.fromkeys(("a", "q", "bat", "left_min", "txn", "hp")) | known
        heard = sends and pack.freq_hz == channel.tuned_hz
        return known | self._told(pack) | {
            "a": _half(float(np.nanmax(shown.level_dbm[i]))), "q": round(100 * quality) if heard else 0,
            "hp": pack.headphones,
        }  # fmt: skip

    def _told(self, pack: Pack) -> Fields:
        return {"txf": pack.freq_hz, "txn": pack.name, "bat": pack.gauge,
                "left_min": round(pack.left_min) if pack.tells_minutes else None}  # fmt: skip

    def _audio(self, i: int, there: bool, ratio_db: float, now_s: float) -> Fields:
        channel = self.seats[i].channel
        settings, pack = channel.settings, channel.pack
        keyed = not settings.get("tone_key", False) or (pack is not None and pack.tone_key)
        opened = there and keyed and ratio_db >= settings.get("squelch_db", 6.0) and not settings.get("mute", False)
        if not opened or pack is None or pack.mute or pack.enc == "differs":
            return {"af": _SILENCE_DBFS, "clip": False}
        level = self._voice(i, now_s) + pack.gain_db + settings.get("gain_db", 0.0) if pack.talks else _SILENCE_DBFS
        return {"af": _half(min(level, 0.0)), "clip": level > _CLIP_DBFS}

    def _voice(self, i: int, now_s: float) -> float:
        """Loudness of a voice [dBFS]: phrases of some seconds with pauses between."""
        phrase = math.sin(2 * math.pi * now_s / (7.0 + i % 5) + i)
        if phrase < -0.55:
            return -62.0
        flutter = random.Random(self._seed * 7_919 + i * 104_729 + int(now_s / _TICK_S)).gauss(0.0, 3.0)
        return _half(_VOICE_DBFS + self._loud[i] + 8.0 * phrase + flutter)

    def _scan(self, i: int, freq_hz: Floats) -> Floats:
        """Levels [dBm] as the receiver of a channel measures them with its antennas, what is on included."""
        freq = np.asarray(freq_hz, float)
        antenna = self.reception.sides[self.reception.receivers[i].sides[0]].antenna
        if self.seats[i].channel.direction == "out":  # the pack scans, where it is worn
            x, y, z = self.reception.places(self._clock())[0][i]
            antenna = Antenna(position=(float(x), float(y), float(z)), gain_dbi=self.seats[i].gain_dbi)
        step = float(freq[1] - freq[0]) if len(freq) > 1 else 25_000.0
        settings = SweepSettings(
            start_hz=round(freq[0]), stop_hz=round(max(freq[-1], freq[0] + step)), points=max(len(freq), 2),
            rbw_hz=max(step, 1_000.0),
        )  # fmt: skip
        swept = self.world().sweep(antenna, settings, int(self._clock() / _TICK_S), True, self._clock())
        return np.asarray(swept.level_dbm[: len(freq)])


def _half(level: float) -> float:
    return max(round(level * 2) / 2, _LEAST_DBM)
