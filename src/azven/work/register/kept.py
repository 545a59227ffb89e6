"""Questions about units that are kept under a name."""

from dataclasses import asdict, fields
from typing import Any

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import KeptQuestion, Model, Site
from azven.refusal import Refusal
from azven.work import sites
from azven.work.register.finding import Question
from azven.work.wording import one_line


def questions(store: Reading) -> list[KeptQuestion]:
    """All kept questions, by name."""
    return sorted(store.all(KeptQuestion), key=lambda q: (q.name.casefold(), q.id))


def keep(store: Making, name: str, asked: Question) -> Edit:
    """Keep a question, in place of one of the same name; `select` names it. Refusal without a name, or for a question
    that asks nothing."""
    title = name.strip()
    if not title:
        raise Refusal("Give the question a name.")
    said = {k: v for k, v in asdict(asked).items() if v != getattr(Question(), k)}
    if not said:
        raise Refusal("This asks for every unit; say first what is looked for.")
    before = next((q for q in questions(store) if q.name.casefold() == title.casefold()), None)
    if before is not None:
        after = KeptQuestion(id=before.id, version=before.version, name=title, asked=said)
        return Edit(f"Question {one_line(title)}", replace_record(before, after), (before.id,))
    made = KeptQuestion(id=store.reserve(), name=title, asked=said)
    return Edit(f"Question {one_line(title)}", add(made), (made.id,))


def forget(question: KeptQuestion) -> Edit:
    """Keep a question no longer."""
    return Edit(f"Forget {one_line(question.name)}", remove([question]))


def question_of(store: Reading, kept: KeptQuestion) -> Question:
    """What a kept question asks. Refusal where the site, the district or the model that it asks about is gone, or where
    a newer Azven has written it."""
    known = {f.name for f in fields(Question)}
    if strange := sorted(set(kept.asked) - known):
        raise Refusal(f"“{one_line(kept.name)}” asks what this Azven does not know: {', '.join(strange)}.")
    said: dict[str, Any] = dict(kept.asked)
    for name, kind in (("at", Site), ("home", Site), ("model", Model)):
        if name in said and not store.all(kind, id=said[name]):
            raise Refusal(f"“{one_line(kept.name)}” asks about a {kind.__name__.lower()} that is gone.")
    if "district" in said and said["district"] not in sites.districts(store):
        raise Refusal(f"“{one_line(kept.name)}” asks about a district that no site is in.")
    return Question(**said)
