"""Roles of a server: who may only read, who writes for a campus, who writes all; the database enforces it, and the desk
knows beforehand."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest
from click.testing import CliRunner

from azven.book import stock
from azven.book.edits import BookError, Edit, ForbiddenError, add, remove, replace_record
from azven.book.engines import rights
from azven.book.engines.rights import Rights
from azven.book.place import File, Server
from azven.book.records import Inquiry, KeptQuestion, Link, Model, Show, Site, Unit, Zone
from azven.book.store import Store
from azven.book.tables import revision
from azven.cli import main
from azven.refusal import Refusal
from azven.work import demo, register
from azven.work.desks import giving
from azven.work.register import Asked
from patience import until

NOW = datetime.now(UTC)


def with_roles(server, folder, reads, site, writes_it, writes_all):
    """The demonstration on a server, with a role of each sort."""
    from azven.book import copying

    made, source = server.database(), demo.build(folder)
    copying.copy(source, made)
    source.close()
    with server.connect() as connection:
        for role in (reads, writes_it, writes_all):
            connection.execute(f"DROP ROLE IF EXISTS {role}")
            connection.execute(f"CREATE ROLE {role} LOGIN")
    giving.rights(made, reads, "read")
    giving.rights(made, writes_it, "campus", [site])
    giving.rights(made, writes_all, "all")
    return made


@pytest.fixture(scope="module")
def book(server, tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    return with_roles(server, folder, "reader", "Orchard Ground", "orchardist", "everyone")


@pytest.fixture
def as_role(book, tmp_path):
    opened = []

    def open_as(role, keeping=None):
        store = Store.open(Server(book.url.replace("azven@", f"{role}@")), keeping=keeping)
        opened.append(store)
        return store

    yield open_as
    for store in opened:
        store.close()


def site(store, name):
    return next(s for s in store.all(Site) if s.name == name)


def rename(store, record):
    field = "note" if hasattr(record, "note") else "name"
    return store.apply(Edit("Rename", replace_record(record, replace(record, **{field: f"{getattr(record, field)}."}))))


def test_who_may_only_read_reads_everything_knows_it_and_changes_nothing(as_role):
    store = as_role("reader")
    assert store.rights == Rights("read")
    assert len(store.all(Site)) == 4
    with pytest.raises(ForbiddenError, match="may only read"):
        rename(store, store.all(Site)[0])
    with pytest.raises(ForbiddenError, match="may only read"):
        store.reserve()
    with pytest.raises(store.engine.errors), store.engine.writing() as connection:
        connection.exec_driver_sql("UPDATE site SET name = 'x'")


def test_who_writes_all_writes_all(as_role):
    store = as_role("everyone")
    assert store.rights == Rights("all")
    for kind in (Site, Zone, Show, Link, Model):
        rename(store, store.all(kind)[0])


def test_who_writes_for_a_campus_writes_its_units_and_shows_and_no_others(as_role):
    store = as_role("orchardist")
    orchard, harbour = site(store, "Orchard Ground"), site(store, "Marrowby Harbour")
    assert store.rights == Rights("campus", (orchard.id,))
    mine = next(s for s in store.all(Show, site_id=orchard.id) if not s.archived)
    rename(store, mine)
    rename(store, store.all(Link, show_id=mine.id)[0])
    unit = store.all(Unit, name="P101")[0]
    store.apply(register.do(store, [unit], Asked(deed="lost", at=NOW, by="Merle", why="fell off the gangway")))
    assert store.all(Unit, name="P101")[0].state == "missing"
    assert [u.id for u in stock.found(store, stock.Filter(now=NOW, text="gangway fell"))] == [unit.id]
    theirs = store.all(Show, site_id=harbour.id)[0]
    for record in (theirs, store.all(Link, show_id=theirs.id)[0], store.all(Unit, name="P50")[0], harbour,
                   store.all(Zone, site_id=harbour.id)[0], store.all(Model)[0]):  # fmt: skip
        with pytest.raises(ForbiddenError, match="another campus, and your role writes for Orchard Ground alone"):
            rename(store, record)
    with pytest.raises(ForbiddenError, match="does not allow you that"):
        store.apply(Edit("Add", add(Zone(id=store.reserve(), site_id=harbour.id, name="Loft"))))
    with pytest.raises(ForbiddenError):
        store.apply(Edit("Remove", remove([store.all(Link, show_id=theirs.id)[0]])))
    store.apply(Edit("Question", add(KeptQuestion(id=store.reserve(), name="Mine", asked={"state": "missing"}))))


def test_a_campus_asks_others_and_answers_what_it_is_asked_and_nothing_else(as_role):
    owner, store = as_role("azven"), as_role("orchardist")
    names = {s.name: s.id for s in store.all(Site)}
    mine, other, third = names["Orchard Ground"], names["Marrowby Harbour"], names["Kiln Yard"]
    store.apply(Edit("Ask", add(Inquiry(id=store.reserve(), site_id=other, site_from_id=mine, words="Can it move?"))))
    told = Inquiry(id=owner.reserve(2), site_id=mine, site_from_id=other, words="Is it there?")
    strange = Inquiry(id=told.id + 1, site_id=third, site_from_id=other, words="Hello?")
    owner.apply(Edit("Ask", add(told, strange)))
    until(store.others_wrote)
    store.catch_up()
    told, strange = store.get(Inquiry, told.id), store.get(Inquiry, strange.id)
    store.apply(Edit("Answer", replace_record(told, replace(told, answer="Yes"))))
    with pytest.raises(ForbiddenError):
        store.apply(Edit("Answer", replace_record(strange, replace(strange, answer="Yes"))))


def test_the_database_itself_keeps_a_campus_role_from_the_rows_of_others(as_role):
    store = as_role("orchardist")
    with store.engine.writing() as connection:
        changed = connection.exec_driver_sql("UPDATE unit SET note = 'mine'").rowcount
    with store.told():
        ((count,),) = store.engine.rows("SELECT count(*) FROM unit WHERE note = 'mine'")
    assert 0 < changed == count < store.count(Unit)


def test_a_unit_that_comes_to_a_campus_may_be_written_there_and_sent_back(as_role):
    owner, store = as_role("azven"), as_role("orchardist")
    unit = owner.all(Unit, name="P51")[0]
    with pytest.raises(ForbiddenError):
        store.apply(register.do(store, [unit], Asked(deed="count", at=NOW, by="Merle")))
    owner.apply(register.do(owner, [unit], Asked(deed="move", at=NOW, by="Wenna", site=site(owner, "Orchard Ground"))))
    until(store.others_wrote)
    store.catch_up()
    here = store.all(Unit, name="P51")[0]
    store.apply(
        register.do(store, [here], Asked(deed="move", at=NOW, by="Merle", site=site(store, "Marrowby Harbour")))
    )
    with pytest.raises(ForbiddenError):
        store.apply(register.do(store, [store.all(Unit, name="P51")[0]], Asked(deed="lost", at=NOW, by="Merle")))


def test_what_a_role_did_while_cut_off_and_may_not_is_shown_and_blocks_nothing(as_role, server, tmp_path):
    store = as_role("orchardist", tmp_path / "waiting")
    until(store.others_wrote)
    store.catch_up()
    harbour, orchard = site(store, "Marrowby Harbour"), site(store, "Orchard Ground")
    server.stop()
    until(lambda: store.away_since is not None)
    rename(store, harbour)
    rename(store, orchard)
    server.start()
    until(lambda: store.away_since is None)
    until(store.others_wrote)
    store.catch_up()
    assert [w.edit.title for w in store.collided] == ["Rename"]
    assert site(store, "Orchard Ground").note == f"{orchard.note}."
    assert store.waiting == 1
    store.settle(store.collided[0], mine=False)
    assert store.waiting == 0


def test_rights_are_taken_back_by_giving_others(book, as_role):
    giving.rights(book, "everyone", "read")
    assert as_role("everyone").rights == Rights("read")
    giving.rights(book, "everyone", "campus", ["Kiln Yard", "Orchard Ground"])
    assert len(as_role("everyone").rights.sites) == 2
    giving.rights(book, "everyone", "all")
    assert as_role("everyone").rights == Rights("all")
    assert as_role("azven").rights == Rights("all")


def test_what_cannot_be_given_is_refused_in_a_sentence(book, tmp_path):
    for right, names, why in (("campus", [], "Say which campus"), ("campus", ["Nowhere"], "no site Nowhere"),
                              ("read", ["Kiln Yard"], "Only a role of a campus")):  # fmt: skip
        with pytest.raises(Refusal, match=why):
            giving.rights(book, "reader", right, names)
    with pytest.raises(BookError, match="nobody_there"):
        giving.rights(book, "nobody_there", "read")
    with pytest.raises(Refusal, match="azven owns the book"):
        giving.rights(book, "azven", "read")
    store = demo.build(tmp_path)
    store.close()
    with pytest.raises(Refusal, match="owner's alone"):
        giving.rights(File(store.place.path), "reader", "read")
    told = CliRunner().invoke(main, ["book", "rights", book.url, "reader", "read"])
    assert (told.exit_code, told.output) == (0, "reader may read the book.\n")
    assert CliRunner().invoke(main, ["book", "rights", book.url, "reader", "campus"]).exit_code == 2


def test_an_odd_name_of_a_role_is_a_name(book, server):
    odd = 'a"; DROP TABLE site; --'
    with server.connect() as connection:
        connection.execute('DROP ROLE IF EXISTS "a""; DROP TABLE site; --"')
        connection.execute('CREATE ROLE "a""; DROP TABLE site; --" LOGIN')
    giving.rights(book, odd, "read")
    store = Store.open(book)
    assert len(store.all(Site)) == 4
    assert rights.of_me(store.engine) == Rights("all")
    store.close()


def test_roles_keep_their_rights_when_a_book_gets_new_tables(server, tmp_path):
    made = with_roles(server, tmp_path, "looker", "Kiln Yard", "kilner", "anyone")
    owner = Store.open(made)
    with owner.engine.writing() as connection:
        connection.exec_driver_sql("DROP TABLE inquiry")
        connection.exec_driver_sql("ALTER TABLE site DROP COLUMN district")
        connection.exec_driver_sql(f"UPDATE {revision.name} SET version_num = '0015'")
    owner.close()
    Store.open(made).close()
    for role, right in (("looker", "read"), ("kilner", "campus"), ("anyone", "all")):
        store = Store.open(Server(made.url.replace("azven@", f"{role}@")))
        assert store.rights.right == right
        before = len(store.all(Inquiry))
        if right != "read":
            names = {s.name: s.id for s in store.all(Site)}
            ask = Inquiry(id=store.reserve(), site_id=names["Orchard Ground"], site_from_id=names["Kiln Yard"])
            store.apply(Edit("Ask", add(ask)))
            assert len(store.all(Inquiry)) == before + 1
        store.close()
