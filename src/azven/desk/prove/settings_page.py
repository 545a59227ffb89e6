"""Settings of every link: what is wanted, and what its unit has where that differs."""

from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout

from azven.book.records import Link
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.gear.racks.calls import Call
from azven.gear.racks.values import Fields
from azven.refusal import Refusal
from azven.work import chosen, ids
from azven.work.prove import wanted
from azven.work.prove.proofs import Lane
from azven.work.prove.wanted import KEPT, TEMPLATES, Setting

_CAUTION = "A test tone begins at −60 dBFS and never goes to a pack that somebody wears without asking them."
_TONE_DBFS, _TONE_STEP_DB, _TONE_MOST_DBFS = -60, 6, -18


@dataclass(frozen=True)
class SettingsRow:
    """A link with what is wanted of its unit and what that has."""

    id: int
    lane: Lane
    wanted: Fields
    there: Fields

    @property
    def link(self) -> Link:
        return self.lane.link


class SettingsPage(Page):
    """Empty cells want nothing. Several chosen rows take one value together."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table = RecordTable(self._columns(), "Settings of links")
        self.table.theme = lambda: session.theme
        self.template = choice([(name, name) for name in TEMPLATES], "Template")
        self.words = FittedLabel("dim")
        self.tone_words = label(_CAUTION, "dim", wrap=True)
        self._tone: tuple[tuple[str, str], int] | None = None
        self._lay_out()
        self.table.picked.connect(lambda r: session.select(chosen.Link(ids.of(r.link))))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        use = button(
            "Use for chosen", self.use_template, "Want what the template says, for the chosen links or for all"
        )
        keep = button(
            "Take over from units", self.take_over, "Write down what the units are set to, to put it back later"
        )
        box.addLayout(row(self.template, use, keep, self.words, spacing=6))
        box.addWidget(self.table, 1)
        parts = [button(title, partial(self.tone, side), tip, "flat") for title, side, tip in (
            ("Tone left", "left", "Into the left ear of the chosen in-ear link"),
            ("Tone right", "right", "Into the right one"), ("Both", "both", "Into both"),
        )]  # fmt: skip
        louder = button("6 dB louder", self.louder, f"Never over {_TONE_MOST_DBFS} dBFS".replace("-", "−"), "flat")
        off = button("Tone off", self.tone_off, "", "flat")
        box.addLayout(row(label("Line check", "section"), *parts, louder, off, 1, spacing=4))
        box.addWidget(self.tone_words)

    def _columns(self) -> list[Column]:
        return [
            Column(title="Link", width=140, show=lambda r: r.link.name),
            *(
                Column(title=s.title, width=98, show=partial(_shown, s), change=partial(self._set, s),
                       set_all=partial(self._set_all, s), mark=partial(_mark, s), hint=s.hint)
                for s in KEPT
            ),
        ]  # fmt: skip

    def read(self) -> list[SettingsRow]:
        racks = self._session.racks
        rows = []
        for lane in racks.now.lanes:
            key = racks.now.keys.get(lane.link.id)
            there = racks.here.settings(key) if key else {}
            rows.append(SettingsRow(lane.link.id, lane, dict(racks.now.wanted.get(lane.link.id, {})), there))
        return rows

    def show_view(self, view: Any) -> None:
        self.table.show_records(view)
        differ = sum(any(_differs(s, r) for s in KEPT) for r in view)
        self.words.setText(f"{differ} links differ from their units" if differ else "what is wanted and heard agrees")

    def _set(self, setting: Setting, row: SettingsRow, text: str) -> bool:
        return self._set_all(setting, [row], text)

    def _set_all(self, setting: Setting, rows: Any, text: str) -> bool:
        session = self._session
        try:
            value = wanted.parsed(setting.key, text.split("(")[0])
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return False
        links = [r.link for r in rows if r.lane.model.service in setting.services]
        return session.do(lambda: wanted.set_value(session.store, session.scope, links, setting.key, value))

    def _chosen(self) -> list[SettingsRow]:
        picked: list[SettingsRow] = self.table.chosen()
        return picked or list(self.table.records.records)

    def use_template(self) -> None:
        session, name = self._session, str(self.template.currentData())
        picked = [(r.link, r.lane.model, r.there) for r in self._chosen()]
        session.do(lambda: wanted.template(session.store, session.scope, picked, name))

    def take_over(self) -> None:
        session = self._session
        there = {r.link: r.there for r in self._chosen() if r.there}
        if there:
            session.do(lambda: wanted.take_over(session.store, session.scope, there))

    # -- tones ---------------------------------------------------------------------------------------

    def tone(self, side: str) -> None:
        """A quiet tone into one in-ear link, so that left and right can be told apart."""
        rows = self.table.chosen()
        key = self._session.racks.now.keys.get(rows[0].link.id) if len(rows) == 1 else None
        if key is None or rows[0].lane.model.service != "in-ear":
            self._session.say("Choose one in-ear link that has a channel.", trouble=True)
            return
        self.tone_off()
        self._tone = key, _TONE_DBFS
        self._ask(on=True, dbfs=_TONE_DBFS, side=side)
        self.tone_words.setText(f"{rows[0].link.name}: tone {side}, {_TONE_DBFS} dBFS. {_CAUTION}".replace("-", "−"))
        self._side = side

    def louder(self) -> None:
        if self._tone is not None:
            key, level = self._tone
            self._tone = key, min(level + _TONE_STEP_DB, _TONE_MOST_DBFS)
            self._ask(on=True, dbfs=self._tone[1], side=self._side)
            self.tone_words.setText(f"Tone {self._side}, {self._tone[1]} dBFS. {_CAUTION}".replace("-", "−"))

    def tone_off(self) -> None:
        if self._tone is not None:
            self._ask(on=False, dbfs=_TONE_DBFS, side="both")
            self._tone = None
            self.tone_words.setText(_CAUTION)

    def _ask(self, **params: object) -> None:
        assert self._tone is not None
        self._session.racks.ask(self._tone[0], "tone", self._toned, **params)

    def _toned(self, call: Call) -> None:
        if call.outcome != "done":
            self._session.say(f"The tone was refused. {call.message}", trouble=True)

    _side = "both"


def _word(value: Any) -> str:
    if value is None:
        return ""
    return (
        ("on" if value else "off")
        if isinstance(value, bool)
        else f"{value:g}"
        if isinstance(value, float)
        else str(value)
    )


def _differs(setting: Setting, row: SettingsRow) -> bool:
    want, there = row.wanted.get(setting.key), row.there.get(setting.key)
    return want is not None and there is not None and want != there


def _shown(setting: Setting, row: SettingsRow) -> str:
    if row.lane.model.service not in setting.services:
        return ""
    want, there = _word(row.wanted.get(setting.key)), _word(row.there.get(setting.key))
    return f"{want}  (has {there})" if _differs(setting, row) else want


def _mark(setting: Setting, row: SettingsRow) -> str:
    return "tight" if _differs(setting, row) else ""
