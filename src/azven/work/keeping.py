"""What sites and shows have in common: names, and being put out of the way."""

from dataclasses import replace

from azven.book.edits import Edit, replace_record
from azven.book.records import Show, Site
from azven.refusal import Refusal


def rename(record: Site | Show, name: str) -> Edit:
    """Another name; Refusal for an empty one."""
    if not name.strip():
        raise Refusal(f"A {type(record).__name__.lower()} needs a name.")
    return Edit(f"Rename {record.name}", replace_record(record, replace(record, name=name.strip())))


def archive(record: Site | Show, archived: bool) -> Edit:
    """Put it out of the way, or back; nothing of it is lost."""
    word = "Archive" if archived else "Bring back"
    return Edit(f"{word} {record.name}", replace_record(record, replace(record, archived=archived)))
