"""What lets a database find quickly: beginnings of names in any letters, words in notes, deeds of a unit by time.

It is made beside the tables, in a new book and whenever an older one is brought up to date; a table that a migration
builds anew loses what hung on it.
"""

import re

BEGINNINGS = {"unit": ("name", "serial", "holder", "place"), "link": ("name",)}
"""Columns of which beginnings are asked for, by table."""
PEOPLE = ("holder", "made_by")
"""Columns of deeds with names of people, asked for by their beginnings, the newest first."""
WORDS = {"unit": "note", "deed": "why"}
"""The column with words of people, by table."""
UNIT_BITS = 32
"""In the words of SQLite a deed goes by the number of its unit, so many bits up, and its own: so that whoever asks for
units need not look up deeds."""
_WORD = re.compile(r"\w+")
_PLAIN = (
    'CREATE INDEX IF NOT EXISTS ix_deed_unit_at ON deed (unit_id, "at", id)',
    'CREATE INDEX IF NOT EXISTS ix_unit_stands ON unit (site_at_id, zone_id, site_home_id, state, "until", since)',
    "CREATE INDEX IF NOT EXISTS ix_unit_name_id ON unit (name, id)",
    'CREATE INDEX IF NOT EXISTS ix_unit_until ON unit ("until")',
    "CREATE INDEX IF NOT EXISTS ix_unit_cells ON unit (cells_since)",
    "CREATE INDEX IF NOT EXISTS ix_unit_ran ON unit (model_id, ran_min)",
    'CREATE INDEX IF NOT EXISTS ix_hour_unit_at ON hour (unit, "at")',
)


def escaped(text: str) -> str:
    """A text as it stands in a pattern of LIKE whose sign of escape is `!`."""
    return text.replace("!", "!!").replace("%", "!%").replace("_", "!_")


def words_of(text: str) -> list[str]:
    """The words of a text: letters and figures, nothing that a language of search would take for its own."""
    return _WORD.findall(text)


def for_sqlite() -> list[str]:
    """Statements for SQLite: its own comparison that looks past capitals, its own index of words (FTS5)."""
    made = list(_PLAIN)
    for table, names in BEGINNINGS.items():
        made += [f"CREATE INDEX IF NOT EXISTS ix_{table}_{n}_begins ON {table} ({n} COLLATE NOCASE)" for n in names]
    made += [f'CREATE INDEX IF NOT EXISTS ix_deed_{n}_at ON deed ({n} COLLATE NOCASE, "at", id)' for n in PEOPLE]
    for table, column in WORDS.items():
        made += _words_for_sqlite(table, column)
    return made


def _words_for_sqlite(table: str, column: str) -> list[str]:
    """The words of a column, and what keeps them as the rows come, change and go; empty ones are left out."""
    index = f"{table}_words"
    old, new = (f"INSERT INTO {index}({index}, rowid, {column}) VALUES ('delete', {_row(table, 'old')}, old.{column})",
                f"INSERT INTO {index}(rowid, {column}) VALUES ({_row(table, 'new')}, new.{column})")  # fmt: skip
    differs = f"(old.{column} <> new.{column} OR {_row(table, 'old')} <> {_row(table, 'new')})"
    when = f"CREATE TRIGGER IF NOT EXISTS {index}"
    return [
        f"CREATE VIRTUAL TABLE IF NOT EXISTS {index} USING fts5({column}, content='')",
        f"{when}_come AFTER INSERT ON {table} WHEN new.{column} <> '' BEGIN {new}; END",
        f"{when}_gone AFTER DELETE ON {table} WHEN old.{column} <> '' BEGIN {old}; END",
        f"{when}_left AFTER UPDATE ON {table} WHEN old.{column} <> '' AND {differs} BEGIN {old}; END",
        f"{when}_said AFTER UPDATE ON {table} WHEN new.{column} <> '' AND {differs} BEGIN {new}; END",
    ]


def _row(table: str, which: str) -> str:
    """The number of a row among the words."""
    return f"(({which}.unit_id << {UNIT_BITS}) + {which}.id)" if table == "deed" else f"{which}.id"


def anew_for_sqlite() -> list[str]:
    """Statements that read all words again, after tables were built anew."""
    made = []
    for table, column in WORDS.items():
        words = f"SELECT {_row(table, 'r')}, r.{column} FROM {table} r WHERE r.{column} <> ''"
        made += [f"INSERT INTO {table}_words({table}_words) VALUES ('delete-all')",
                 f"INSERT INTO {table}_words(rowid, {column}) {words}"]  # fmt: skip
    return made


def for_postgres() -> list[str]:
    """Statements for PostgreSQL: small letters in the order of their codes, and its own index of words. Words of deeds
    are in a table beside them that triggers keep: a few of a hundred deeds have any, and those that have some lie far
    apart among the others."""
    made = list(_PLAIN)
    for table, names in BEGINNINGS.items():
        made += [f'CREATE INDEX IF NOT EXISTS ix_{table}_{n}_begins ON {table} (lower({n}) COLLATE "C")' for n in names]
    made += [f'CREATE INDEX IF NOT EXISTS ix_deed_{n}_at ON deed (lower({n}) COLLATE "C", "at", id)' for n in PEOPLE]
    return [
        *made,
        "CREATE INDEX IF NOT EXISTS ix_unit_words ON unit USING gin (to_tsvector('simple', note)) WHERE note <> ''",
        "CREATE TABLE IF NOT EXISTS deed_words (id bigint PRIMARY KEY, unit_id bigint NOT NULL, why text NOT NULL)",
        "CREATE INDEX IF NOT EXISTS ix_deed_words_why ON deed_words USING gin (to_tsvector('simple', why))",
        *_words_of_deeds_for_postgres(),
    ]


def _words_of_deeds_for_postgres() -> list[str]:
    """What keeps the words as deeds come, change and go; it runs as its owner, as roles may write deeds alone."""
    gone = "DELETE FROM deed_words WHERE id = old.id"
    come = "INSERT INTO deed_words VALUES (new.id, new.unit_id, new.why)"
    each = {
        "come": ("INSERT", "new.why <> ''", come),
        "gone": ("DELETE", "old.why <> ''", gone),
        "said": ("UPDATE", "(old.why, old.unit_id) <> (new.why, new.unit_id)",
                 f"{gone}; IF new.why <> '' THEN {come}; END IF"),
    }  # fmt: skip
    made = []
    for name, (event, when, does) in each.items():
        function = f"azven_words_{name}"
        made += [
            f"CREATE OR REPLACE FUNCTION {function}() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER "
            f"SET search_path FROM CURRENT AS $$ BEGIN {does}; RETURN NULL; END $$",
            f"CREATE OR REPLACE TRIGGER {function} AFTER {event} ON deed FOR EACH ROW WHEN ({when}) "
            f"EXECUTE FUNCTION {function}()",
        ]
    return made


def anew_for_postgres() -> list[str]:
    """Statements that read all words again, after tables were built anew."""
    return ["DELETE FROM deed_words", "INSERT INTO deed_words SELECT id, unit_id, why FROM deed WHERE why <> ''"]


def gone_for_postgres() -> list[str]:
    """Statements that take away what stands beside the tables, once these are gone."""
    functions = [f"DROP FUNCTION IF EXISTS azven_words_{name}()" for name in ("come", "gone", "said")]
    return ["DROP TABLE IF EXISTS deed_words", *functions]
