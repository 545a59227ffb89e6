"""The rows in which a question about units is asked, and kept under a name."""

from collections.abc import Callable

from PyQt6.QtWidgets import QInputDialog, QLineEdit, QVBoxLayout, QWidget

from azven.book.records import KeptQuestion, Model, Site
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, pick, row
from azven.refusal import Refusal
from azven.rf.register.deeds import STATES
from azven.work import ids, sites
from azven.work.register import Question, kept
from azven.work.wording import one_line

_ANY, _NOWHERE = 0, -1
_SITE_W, _MOST_W = 132, 170
_QUIET: list[tuple[str, object]] = [
    ("touched whenever", _ANY), ("not for 30 days", 30), ("not for 90 days", 90), ("not for a year", 365),
    ("not counted for 12 hours", -0.5), ("not counted for a week", -7), ("not counted for 30 days", -30),
    ("not counted for 90 days", -90),
]  # fmt: skip


class QuestionRows(QWidget):
    """What is asked of the units: `question` reads it, `ask` fills it in; `changed` is called when it is another."""

    def __init__(self, session: Session, changed: Callable[[], object], typed: Callable[[], object]) -> None:
        super().__init__()
        self._session, self._changed = session, changed
        self.text = QLineEdit()
        self.text.setPlaceholderText("name, serial, holder or place begins with …, or words of a note")
        self.text.setAccessibleName("Find units")
        self.text.setClearButtonEnabled(True)
        self.text.textChanged.connect(lambda _: typed())
        self.kept = choice([], "Kept questions")
        self.keep = button("Keep …", self.keep_it, "Keep this question under a name", "flat")
        self.forget = button("Forget", self.forget_it, "Keep the chosen question no longer", "flat")
        self.state = choice([("in any state", ""), *((s, s) for s in STATES)], "State")
        self.site, self.model = choice([], "At which site"), choice([], "Model")
        self.site.setMinimumWidth(_SITE_W)
        for part in (self.site, self.model):  # one long name would take the room of the others
            part.setMaximumWidth(_MOST_W)
        self.band = choice([], "Band")
        self.quiet = choice(_QUIET, "How long nobody has touched or counted them")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        first = row(self.text, self.kept, self.keep, self.forget, spacing=6)
        first.setStretchFactor(self.text, 1)
        box.addLayout(first)
        box.addLayout(row(self.state, self.site, self.model, self.band, self.quiet, 1, spacing=6))
        for part in (self.state, self.site, self.band, self.quiet):
            part.activated.connect(lambda _: self._turned())
        self.model.activated.connect(lambda _: self._other_model())
        self.kept.activated.connect(lambda _: self.ask_kept())

    def refresh(self) -> None:
        """The sites, models and kept questions that there are now."""
        store = self._session.store
        districts = [(f"in {one_line(d)}", d) for d in sites.districts(store)]
        at = [(f"at {n}", k) for n, k in ids.choices_of(store.all(Site, archived=False))]
        fill(self.site, [("anywhere", _ANY), *districts, *at, ("at no known place", _NOWHERE)])
        models = sorted(store.all(Model), key=lambda m: m.name.casefold())
        fill(self.model, [("any model", _ANY), *ids.choices_of(models)])
        fill(self.kept, [("kept questions", _ANY), *((one_line(q.name), q.id) for q in kept.questions(store))])
        self._bands()
        self.forget.setEnabled(bool(self.kept.currentData()))

    def _bands(self) -> None:
        """The bands of the chosen model, of all models where none is."""
        models = [m for m in self._session.store.all(Model) if self.model.currentData() in (_ANY, m.id)]
        names = sorted({b[0] for m in models for b in m.bands})
        fill(self.band, [("any band", ""), *((n, n) for n in names)])

    def _other_model(self) -> None:
        self._bands()
        self._turned()

    def _turned(self) -> None:
        pick(self.kept, _ANY)
        self.forget.setEnabled(False)
        self._changed()

    def question(self) -> Question:
        """What is asked of the units now."""
        days = self.quiet.currentData()  # negative ones are since they were counted or scanned
        where = self.site.currentData()
        return Question(
            text=self.text.text().strip(), state=str(self.state.currentData()),
            at=where if isinstance(where, int) and where > 0 else None,
            district=where if isinstance(where, str) else "", nowhere=where == _NOWHERE,
            model=self.model.currentData() or None, band=str(self.band.currentData()),
            quiet_days=days if days > 0 else None, unseen_days=-days if days < 0 else None,
        )  # fmt: skip

    def ask(self, asked: Question) -> None:
        """Fill in a question."""
        self.text.setText(asked.text)
        pick(self.state, asked.state)
        pick(self.site, asked.at or asked.district or (_NOWHERE if asked.nowhere else _ANY))
        pick(self.model, asked.model or _ANY)
        self._bands()
        pick(self.band, asked.band)
        pick(self.quiet, -asked.unseen_days if asked.unseen_days else asked.quiet_days or _ANY)
        self._changed()

    # questions that are kept

    def _chosen(self) -> KeptQuestion | None:
        number = self.kept.currentData()
        return next(iter(self._session.store.all(KeptQuestion, id=number)), None) if number else None

    def ask_kept(self) -> None:
        """Ask what is kept under the chosen name."""
        chosen = self._chosen()
        self.forget.setEnabled(chosen is not None)
        if chosen is None:
            return
        try:
            asked = kept.question_of(self._session.store, chosen)
        except Refusal as refusal:
            self._session.say(str(refusal), trouble=True)
            return
        self.ask(asked)

    def keep_it(self) -> None:
        """Keep what is asked under a name."""
        suggested = self.kept.currentText() if self.kept.currentData() else ""
        name, given = QInputDialog.getText(self, "Keep this question", "Name", text=suggested)
        if given:
            self.keep_as(name)

    def keep_as(self, name: str) -> None:
        """Keep what is asked under this name."""
        session = self._session
        if session.do(lambda: kept.keep(session.store, name, self.question())):
            self.refresh()
            pick(self.kept, next((q.id for q in kept.questions(session.store) if q.name == name.strip()), _ANY))
            self.forget.setEnabled(True)

    def forget_it(self) -> None:
        """Keep the chosen question no longer; what it asks stays on the screen."""
        chosen = self._chosen()
        if chosen is not None and self._session.do(lambda: kept.forget(chosen)):
            self.refresh()
