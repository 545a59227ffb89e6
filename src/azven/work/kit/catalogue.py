"""Models: the generic ones that every new book starts with, our own, and catalogue files."""

import json
from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from importlib.resources import files
from pathlib import Path

from azven.book.columns import as_read, frozen
from azven.book.edits import Edit, add, replace_record
from azven.book.formats.whole import write_whole
from azven.book.records import Model
from azven.book.store import Store
from azven.work import ground


def generic_models() -> list[Model]:
    """Models by service and modulation, with planning values for spacing and guards; ids are still 0."""
    text = (files("azven") / "data" / "catalogue" / "generic.json").read_text("utf-8")
    return [Model(**frozen(entry), builtin=True) for entry in json.loads(text)["models"]]


@dataclass(frozen=True)
class TakenIn:
    """What taking a catalogue file in would do."""

    edit: Edit
    new: int
    known: int

    def sentence(self, name: str) -> str:
        there = f"; {self.known} were here already" if self.known else ""
        return f"{self.new} models from {name}{there}."


def take_in(store: Store, path: Path) -> TakenIn:
    """The models of a file that the book does not hold, one of a name that is taken under another name. FormatError in
    one line where it is no catalogue; nothing is used then."""
    from azven.book.formats import catalogue, reading

    return _added(store, catalogue.read(reading.read_json(path)))


def missing_generic(store: Store) -> TakenIn:
    """The generic models that a book made earlier does not hold; those that it holds learn what they did not say."""
    ours = {m.name: m for m in store.all(Model) if m.builtin}
    generic = generic_models()
    learnt = [c for m in generic if m.name in ours for c in replace_record(ours[m.name], _completed(ours[m.name], m))]
    found = _added(store, [m for m in generic if m.name not in ours])
    title = f"{found.new} generic models, {len(learnt)} completed"
    edit = Edit(title, found.edit.changes + tuple(learnt), found.edit.select)
    return TakenIn(edit, found.new, len(generic) - found.new)


_BLANK = Model(name="", service="voice", bands=())


def _completed(ours: Model, generic: Model) -> Model:
    """A model with what it does not say taken from another; what it does say stays."""
    silent = [f.name for f in fields(Model) if getattr(ours, f.name) == getattr(_BLANK, f.name)]
    kept = ("id", "version", "builtin", "name")
    return replace(ours, **{n: getattr(generic, n) for n in silent if n not in kept})


def _added(store: Store, models: Sequence[Model]) -> TakenIn:
    known = {_content(m) for m in store.all(Model)}
    taken = [m.name for m in store.all(Model)]
    new: list[Model] = []
    for model in models:
        if _content(model) not in known:
            name = ground.unused(model.name, taken) if model.name in taken else model.name
            taken.append(name)
            known.add(_content(model))
            new.append(replace(model, name=name))
    first = store.reserve(len(new)) if new else 0
    listed = [replace(m, id=first + i, version=0) for i, m in enumerate(new)]
    title = f"Add model {listed[0].name}" if len(listed) == 1 else f"Add {len(listed)} models"
    return TakenIn(Edit(title, add(*listed), tuple(m.id for m in listed)), len(new), len(models) - len(new))


def _content(model: Model) -> str:
    """Everything that a model says, whoever made it."""
    return repr(as_read(replace(model, id=0, version=0, builtin=False)))


def write(models: Sequence[Model], path: Path) -> None:
    """Write models as a catalogue file. OSError where it cannot be written; what stood there is kept then."""
    from azven.book.formats import catalogue

    write_whole(path, catalogue.write(list(models)).encode("utf-8"))
