"""Where a book is kept: a file, or a database of a PostgreSQL server."""

from dataclasses import dataclass, field, replace
from pathlib import Path
from urllib.parse import parse_qsl, quote, unquote, urlencode, urlsplit

from azven.refusal import Refusal

SUFFIX = ".azven"
_SCHEMES = ("postgresql", "postgres")


@dataclass(frozen=True)
class File:
    """A book in a file of its own."""

    path: Path

    @property
    def key(self) -> str:
        """The text by which this place is known again."""
        return str(self.path.absolute())

    @property
    def title(self) -> str:
        return self.path.name

    @property
    def stem(self) -> str:
        return self.path.stem

    @property
    def within(self) -> str:
        """Where it is, beside its stem."""
        return str(self.path.parent)

    @property
    def folder(self) -> Path:
        """Where files that belong to the book are looked for first."""
        return self.path.parent

    def __str__(self) -> str:
        return str(self.path)


@dataclass(frozen=True)
class Server:
    """A book in a database of its own. `url` never holds a password; `password` is kept in memory alone."""

    url: str
    password: str | None = field(default=None, repr=False, compare=False)

    @property
    def key(self) -> str:
        return self.url

    @property
    def title(self) -> str:
        return f"{self.stem} {self.within}"

    @property
    def stem(self) -> str:
        return urlsplit(self.url).path.strip("/") or urlsplit(self.url).username or "book"

    @property
    def within(self) -> str:
        return f"on {urlsplit(self.url).hostname or 'this computer'}"

    @property
    def folder(self) -> Path:
        return Path.home()

    def knowing(self, password: str) -> "Server":
        return replace(self, password=password)

    def __str__(self) -> str:
        return self.title


Place = File | Server


def is_url(text: str) -> bool:
    """Whether a text names a database rather than a file."""
    return text.split("://")[0].lower() in _SCHEMES and "://" in text


def place(text: str | Path) -> Place:
    """The place that a file's path or a `postgresql://` URL names. A password in the URL is taken out of it.

    Raises Refusal for a URL that cannot be read.
    """
    if isinstance(text, Path) or not is_url(text):
        return File(Path(text))
    try:
        parts = urlsplit(text)
        parts.port  # noqa: B018 - asking raises for a port that is no number
    except ValueError:
        raise Refusal("This is no URL of a database: it should look like postgresql://server/name.") from None
    options = parse_qsl(parts.query, keep_blank_values=True)
    secrets = [v for k, v in options if k == "password"]
    userinfo, at, host = parts.netloc.rpartition("@")
    user = userinfo.split(":")[0]
    query = urlencode([(k, v) for k, v in options if k != "password"], quote_via=quote)
    url = f"postgresql://{user}{at}{host}{parts.path}" + (f"?{query}" if query else "")
    password = unquote(parts.password) if parts.password else next(iter(secrets), None)
    return Server(url, password)
