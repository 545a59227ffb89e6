"""Tables of a database against those of the records, without what stands beside them to find beginnings and words."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from azven.book.engines import searching
from azven.book.tables import metadata

_MADE = " ".join([*searching.for_sqlite(), *searching.for_postgres()])


def beside_the_tables(name):
    """Whether an index, a trigger or a table is one of those that `searching` makes."""
    return "_words" in name or f" {name} " in _MADE


def differences(connection):
    """What the database has otherwise than the records say."""

    def ours(item, name, sort, reflected, other):
        return not (reflected and other is None and beside_the_tables(name or ""))

    context = MigrationContext.configure(connection, opts={"compare_type": True, "include_object": ours})
    return compare_metadata(context, metadata)
