"""What every reader of a JSON document shares: one line for what is wrong, with its path."""

import json
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from azven.book.formats.errors import FormatError

M = TypeVar("M", bound=BaseModel)
SIZE_LIMIT = 12 * 1024 * 1024


class Document(BaseModel):
    """Base of all parts of a document: unknown keys are ignored, numbers are not guessed from text."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True)


def read_bytes(path: Path, most: int) -> bytes:
    """The content of a file of at most `most` bytes; FormatError in one line when it is larger or cannot be read."""
    try:
        with path.open("rb") as file:
            data = file.read(most + 1)
    except (OSError, ValueError) as error:
        raise FormatError(f"{path}: {getattr(error, 'strerror', None) or error}") from error
    if len(data) > most:
        raise FormatError(f"{path}: larger than {most // 1024 // 1024} MB, refused")
    return data


def read_json(path: Path) -> Any:
    """The JSON of a file; FormatError in one line when it is missing, too large or no JSON."""
    data = read_bytes(path, SIZE_LIMIT)
    try:
        return json.loads(data.decode("utf-8-sig"))
    except json.JSONDecodeError as error:
        raise FormatError(f"{path}: line {error.lineno}: {error.msg}") from error
    except (ValueError, RecursionError) as error:
        raise FormatError(f"{path}: is not UTF-8 JSON") from error


def parse(model: type[M], data: Any, name: str, version: int) -> M:
    """`data` as `model`, after its format and version are checked; FormatError names the first fault."""
    if not isinstance(data, dict) or data.get("format") != name:
        found = data.get("format") if isinstance(data, dict) else type(data).__name__
        raise FormatError(f"format: '{name}' expected, found {found!r}")
    if not isinstance(data.get("version"), int) or isinstance(data.get("version"), bool):
        raise FormatError(f"version: a whole number expected, found {data.get('version')!r}")
    if data["version"] > version:
        raise FormatError(f"version: {data['version']} is newer than {version}, the newest this Azven reads")
    try:
        return model.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        raise FormatError(f"{_path(first['loc'])}: {first['msg'].lower()}") from error


def _path(parts: tuple[int | str, ...]) -> str:
    out = ""
    for part in parts:
        out += f"[{part}]" if isinstance(part, int) else f".{part}" if out else part
    return out or "document"
