"""The columns of Kit's units and models."""

import re
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from azven.book.edits import Edit
from azven.book.records import AUDIO, CONDITIONS, FORMS, SERVICES, Model, Site, Unit, Zone
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns, words, yes_no
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.refusal import Refusal
from azven.rf import across
from azven.work import ground, kit, sites
from azven.work.kit import persons
from azven.work.kit.fitting import Fits
from azven.work.wording import formula


class UnitColumns(Columns):
    """Columns of units; `fits` is read once for all rows."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.fits = Fits({}, {}, {})

    def read(self) -> None:
        self.fits = kit.fits(self.session.store, self.session.scope)

    def _bands(self, unit: Unit) -> list[tuple[str, Any]]:
        return [(b[0], b[0]) for b in self.session.store.get(Model, unit.model_id).bands]

    def all(self) -> list[Column]:
        store, scope, clock = self.session.store, self.session.scope, self.session.clock
        return [
            self.field("Name", 110, "name", typed.name, lambda u: u.name, many=False,
                       mark=lambda u: self.fits.state(Unit, u.id)),
            self.field("Model", 180, "model_id", int, lambda u: store.get(Model, u.model_id).name,
                       lambda _: self.choices(Model, ground.models(store))),
            self.field("Kind", 70, "carried", typed.yes, lambda u: "carried" if u.carried else "rack",
                       yes_no("carried", "rack"), hint="A rack unit with receivers, or what is carried."),
            self.field("Band", 76, "band", str, lambda u: u.band, self._bands),
            self.field(
                "Receives", 76, "receiver_band", str, lambda u: u.receiver_band or "same",
                lambda u: [("same", ""), *self._bands(u)],
                hint="The band that a rack unit is set to where it is not its own, as after a reset.",
            ),
            self.field("Channels", 64, "channels", typed.whole(1, 64), lambda u: str(u.channels), right=True),
            self.field("Room", 88, "zone_id", lambda v: v, lambda u: self.named(Zone, u.zone_id) or "anywhere",
                       lambda _: [("anywhere", None), *self.choices(Zone, ground.zones(store, scope))]),
            self.field("Serial", 90, "serial", typed.text, lambda u: u.serial, many=False),
            self.field("Condition", 90, "condition", str, lambda u: u.condition, words(CONDITIONS)),
            self.field("Firmware", 70, "firmware", typed.text, lambda u: u.firmware),
            self.field("Cells since", 84, "cells_since", self._day, lambda u: clock.day_said(u.cells_since),
                       hint="The day from which its rechargeable cells are in use, as 2026-09-30."),
            self.field("Ran min", 58, "ran_min", _minutes, lambda u: f"{u.ran_min:g}" if u.ran_min is not None else "",
                       right=True, hint="How long it last ran on full cells, in minutes."),
            self.field("Home", 100, "site_home_id", lambda v: v, lambda u: self.named(Site, u.site_home_id),
                       lambda _: [("none", None), *((s.name, s.id) for s in sites.sites(store))],
                       hint="The site that it belongs to and goes back to."),
            self.field("Note", 110, "note", typed.text, lambda u: u.note, prose=True),
            Column(title="What is wrong", width=220, show=lambda u: self.fits.words(Unit, u.id), prose=True),
        ]  # fmt: skip

    def _day(self, value: Any) -> datetime | None:
        """The beginning of a day of the site; None for nothing. Refusal for what is no day."""
        clock = self.session.clock
        day = clock.day(str(value))
        return clock.begin_of(day) if day is not None else None

    def named(self, kind: type[Any], key: int | None) -> str:
        return (
            {s.id: s.name for s in self.session.store.all(Site)}.get(key or 0, "")
            if kind is Site
            else super().named(kind, key)
        )


def _minutes(value: Any) -> float | None:
    """Minutes, None for nothing."""
    return typed.number(value, 0.0, 1e5) if str(value).strip() else None


class ModelColumns(Columns):
    """Columns of models: the first few for the table, all of them for the sheet of one or several."""

    def main(self) -> list[Column]:
        return [
            self.field("Name", 200, "name", typed.name, lambda m: m.name, many=False),
            self.field("Form", 82, "form", str, lambda m: m.form, words(FORMS)),
            self.field("Service", 76, "service", str, lambda m: m.service, words(SERVICES)),
            self.field("Tuning bands MHz", 130, "bands", typed.bands, lambda m: ", ".join(b[0] for b in m.bands)),
        ]

    def rest(self) -> list[Column]:
        return [*self._raster(), *self._receiver(), *self._practice(), *self._wideband()]

    def _guard(self, kind: str) -> Column:
        def edit(models: Sequence[Model], value: Any) -> Edit:
            guard = typed.kilo(value)
            changes = [persons.change_all([m], "", guard_hz={**m.guard_hz, kind: guard}).changes for m in models]
            return Edit(f"Guard {formula(kind)}", tuple(c for some in changes for c in some))

        return self.editable(
            f"Guard {formula(kind)} kHz", 72, lambda m: f"{m.guard_hz.get(kind, 0) / 1e3:g}", edit, right=True
        )

    def _raster(self) -> list[Column]:
        return [
            self.field("Step kHz", 62, "step_hz", typed.kilo, lambda m: f"{m.step_hz / 1e3:g}"),
            self.field("Steps count from MHz", 62, "origin_hz", lambda v: round(typed.number(v, 0, 1e5) * 1e6),
                       lambda m: f"{m.origin_hz / 1e6:g}"),
            self.field("Power mW", 60, "power_mw", typed.positive, lambda m: f"{m.power_mw:g}"),
            self.field("Power steps", 150, "powers", _powers, _powers_said,
                       hint="mW and kind, separated by commas: 10 conducted, 50 e.r.p."),
            self.field("Modulation", 100, "modulation", typed.text, lambda m: m.modulation),
            self.field("Emission width kHz", 62, "bandwidth_hz", typed.kilo, lambda m: f"{m.bandwidth_hz / 1e3:g}"),
            self.field("Spacing kHz", 62, "spacing_hz", typed.kilo, lambda m: f"{m.spacing_hz / 1e3:g}"),
            *(self._guard(k) for k in ("2a-b", "a+b-c", "3a-2b", "3a-b-c", *across.KINDS)),
        ]  # fmt: skip

    def _receiver(self) -> list[Column]:
        return [
            self.field("Protection ratio dB", 62, "needed_db", typed.decibel, lambda m: f"{m.needed_db:g}"),
            self.field("Noise figure dB", 62, "nf_db", lambda v: typed.number(v, 0, 60), lambda m: f"{m.nf_db:g}"),
            self.field("Intercept dBm", 62, "iip3_dbm", typed.decibel, lambda m: _signed(m.iip3_dbm)),
            self.field(
                "Blocked from dBm", 62, "blocking_dbm", typed.known_decibel,
                lambda m: "not known" if m.blocking_dbm is None else _signed(m.blocking_dbm),
                hint="A carrier this strong silences the receiver. Not known: reckoned from the intercept.",
            ),
            self.field("Body takes dB", 62, "body_db", typed.decibel, lambda m: f"{m.body_db:g}"),
            self.field("Antenna dBi", 62, "gain_dbi", typed.decibel, lambda m: _signed(m.gain_dbi)),
            self.field("Delay ms", 62, "latency_ms", lambda v: typed.number(v, 0, 10_000) if str(v).strip() else None,
                       lambda m: "" if m.latency_ms is None else f"{m.latency_ms:g}"),
            self.field("Audio", 80, "audio", str, lambda m: m.audio, words(AUDIO)),
        ]  # fmt: skip

    def _practice(self) -> list[Column]:
        return [
            self.field("Channels of a rack unit", 62, "receivers", typed.whole(1, 64), lambda m: str(m.receivers)),
            self.field("Antennas", 80, "diversity", typed.yes, lambda m: "a pair" if m.diversity else "one",
                       yes_no("a pair", "one")),
            self.field("Batteries", 180, "batteries", _batteries, _batteries_said,
                       hint="Kind, mW and minutes, separated by semicolons: two AA alkaline 30 mW 480 min; …"),
            self.field("Chargers", 150, "chargers", _chargers, _chargers_said,
                       hint="Kind, bays and minutes to full, separated by semicolons: lithium-ion pack 8 bays 180 min"),
            self.field("Network addresses", 62, "addresses", typed.whole(0, 1000), lambda m: str(m.addresses)),
            self.field("DC needs W", 62, "dc_w", lambda v: typed.number(v, 0, 1e5), lambda m: f"{m.dc_w:g}"),
        ]  # fmt: skip

    def _wideband(self) -> list[Column]:
        return [
            self.field("Tunes to", 100, "only_groups", typed.yes, lambda m: "its groups only" if m.only_groups else
                       "every step", yes_no("its groups only", "every step")),
            Column(title="Groups", width=100, show=_groups_said,
                   hint="Read from a file with Read groups, or computed on Plan's page Groups and taken over."),
            self.field("Slots of a carrier", 62, "capacity", typed.whole(0, 100_000), lambda m: str(m.capacity),
                       hint="0: it is no wideband carrier."),
            self.field("Modes", 150, "modes", _modes, _modes_said,
                       hint="Name, slots, slots of a stereo mix and ms: standard 4 7 3.5; sparing 2 4 5.5"),
        ]  # fmt: skip


def _signed(value: float) -> str:
    return f"{value:g}".replace("-", "−")


def _powers(value: Any) -> tuple[tuple[float, str], ...]:
    out = []
    for part in filter(None, (p.strip() for p in str(value).split(","))):
        found = re.fullmatch(r"([\d.]+)\s*(?:mW)?\s*(conducted|e\.r\.p\.|erp)?", part)
        if found is None:
            raise Refusal(f"A power step is written like “50 conducted” or “50 e.r.p.”, not “{part}”.")
        out.append((typed.positive(found[1]), "e.r.p." if found[2] in ("e.r.p.", "erp") else "conducted"))
    return tuple(out)


def _powers_said(model: Model) -> str:
    return ", ".join(f"{mw:g} {kind}" for mw, kind in model.powers)


def _batteries(value: Any) -> tuple[tuple[str, float, float], ...]:
    return tuple((n, typed.positive(mw), typed.positive(minutes)) for n, mw, minutes in _rows(
        value, r"(.+?)\s+([\d.]+)\s*mW\s+([\d.]+)\s*min", "two AA alkaline 30 mW 480 min"))  # fmt: skip


def _batteries_said(model: Model) -> str:
    return "; ".join(f"{n} {mw:g} mW {minutes:g} min" for n, mw, minutes in model.batteries)


def _chargers(value: Any) -> tuple[tuple[str, int, float], ...]:
    return tuple((n, typed.whole(1, 1000)(bays), typed.positive(minutes)) for n, bays, minutes in _rows(
        value, r"(.+?)\s+(\d+)\s*bays?\s+([\d.]+)\s*min", "lithium-ion pack 8 bays 180 min"))  # fmt: skip


def _chargers_said(model: Model) -> str:
    return "; ".join(f"{n} {bays} bays {minutes:g} min" for n, bays, minutes in model.chargers)


def _modes(value: Any) -> tuple[tuple[str, int, int, float], ...]:
    slots = typed.whole(1, 100_000)
    return tuple((n, slots(a), slots(b), typed.number(ms, 0, 10_000)) for n, a, b, ms in _rows(
        value, r"(.+?)\s+(\d+)\s+(\d+)\s+([\d.]+)(?:\s*ms)?", "standard 4 7 3.5"))  # fmt: skip


def _modes_said(model: Model) -> str:
    return "; ".join(f"{n} {a} {b} {ms:g}" for n, a, b, ms in model.modes)


def _rows(value: Any, pattern: str, like: str) -> list[tuple[str, ...]]:
    """Parts between semicolons that look like the pattern; Refusal where one does not."""
    out = []
    for part in filter(None, (p.strip() for p in str(value).split(";"))):
        found = re.fullmatch(pattern, part)
        if found is None:
            raise Refusal(f"It is written like “{like}”, not “{part[:60]}”.")
        out.append(found.groups())
    return out


def _groups_said(model: Model) -> str:
    return "; ".join(f"{len(groups)} in {band}" for band, groups in model.groups.items() if groups) or "none"
