"""Alembic's entry: run the migrations on the connection that `migrate.upgrade` hands over."""

from alembic import context

from azven.book.tables import metadata

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=metadata,
    render_as_batch=True,
    transactional_ddl=True,
)
context.run_migrations()
