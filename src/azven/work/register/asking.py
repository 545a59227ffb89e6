"""What one campus asks another: other campuses are asked, never switched from here. A question about one thing is asked
once, and stays until whoever asked has seen the answer."""

from dataclasses import replace
from datetime import datetime

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import Inquiry, Site
from azven.refusal import Refusal
from azven.work.scope import Scope
from azven.work.wording import one_line


def asked_of(store: Reading, site_id: int) -> list[Inquiry]:
    """What a campus is asked and has not answered yet, the oldest first."""
    return [q for q in store.all(Inquiry, site_id=site_id) if q.answered_at is None]


def asked_by(store: Reading, site_id: int) -> list[Inquiry]:
    """What a campus has asked others, answered or not."""
    return store.all(Inquiry, site_from_id=site_id)


def open_about(store: Reading, site_id: int, about: str) -> Inquiry | None:
    """The question about something that a campus has been asked and that is not over."""
    return next((q for q in store.all(Inquiry, site_id=site_id) if q.about == about), None)


def ask(store: Making, scope: Scope, site: Site, about: str, words: str, now: datetime, by: str) -> Edit:
    """Ask a campus something, in words of its own. Refusal for the campus that is open, and for what was asked."""
    if site.id == scope.site:
        raise Refusal(f"{one_line(site.name)} is where you are; there is nobody to ask.")
    if open_about(store, site.id, about) is not None:
        raise Refusal(f"{one_line(site.name)} has been asked that already.")
    made = Inquiry(id=store.reserve(), site_id=site.id, site_from_id=scope.site, about=about,
                   words=words.strip(), asked_at=now, asked_by=by)  # fmt: skip
    return Edit(f"Ask {one_line(site.name)}", add(made))


def answer(question: Inquiry, words: str, now: datetime, by: str) -> Edit:
    """Answer what was asked. Refusal for nothing said."""
    if not words.strip():
        raise Refusal("An answer says something.")
    after = replace(question, answer=words.strip(), answered_by=by, answered_at=now)
    return Edit("Answer a question", replace_record(question, after))


def close(question: Inquiry) -> Edit:
    """The question is over: its answer was seen, or it is asked no more."""
    return Edit("Question is over" if question.answered_at is not None else "Take a question back", remove([question]))
