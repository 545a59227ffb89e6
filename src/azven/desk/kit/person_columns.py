"""The columns of what is worn, of the audio patch and of the intercom's ports."""

from typing import Any

from azven.book.records import BODY_SIDES, PORT_KINDS, ROUTE_KINDS, Act, Link, Person, Port, Route, Unit, Worn
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns, words, yes_no
from azven.desk.kit.link_columns import act_choices
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.work import kit
from azven.work.kit import patch, persons
from azven.work.kit.patch import Patch


class WornColumns(Columns):
    """Columns of what persons wear."""

    def _acts(self, item: Worn) -> str:
        names = self.told(Act)
        return ", ".join(names[a] for a in item.acts if a in names) or "as both are on"

    def _packs(self, item: Worn) -> list[tuple[str, Any]]:
        store, scope = self.session.store, self.session.scope
        fitting = persons.free_packs(store, scope, store.get(Link, item.link_id))
        return [("not said", None), *self.choices(Unit, fitting)]

    def all(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope
        return [
            Column(title="Person", width=110, show=lambda w: self.named(Person, w.person_id)),
            self.field("Link", 130, "link_id", int, lambda w: self.named(Link, w.link_id),
                       lambda _: self.choices(Link, kit.links(store, scope)), many=False),
            self.field("Pack", 90, "unit_id", lambda v: v, lambda w: self.named(Unit, w.unit_id) or "not said",
                       self._packs, many=False),
            self.field("In", 180, "acts", tuple, self._acts,
                       lambda _: act_choices(kit.acts(store, scope), self.told(Act), "as both are on")),
            self.field("Side", 60, "side", str, lambda w: w.side, words(BODY_SIDES)),
            self.field("Place", 110, "place", typed.text, lambda w: w.place),
            self.field("Note", 140, "note", typed.text, lambda w: w.note, prose=True),
        ]  # fmt: skip


class RouteColumns(Columns):
    """Columns of routes; `found` is read once for all rows."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found = Patch((), (), {}, {}, ())

    def read(self) -> None:
        self.found = patch.patch(self.session.store, self.session.scope)

    def _way(self, route: Route) -> str:
        return "from" if patch.is_source(self.session.store.get(Link, route.link_id)) else "to"

    def _note(self, route: Route) -> str:
        return self.found.wrong.get(route.id) or self.found.notes.get(route.id, "")

    def all(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope
        return [
            self.field("Link", 150, "link_id", int, lambda r: self.named(Link, r.link_id),
                       lambda _: self.choices(Link, kit.links(store, scope)), many=False),
            Column(title="Way", width=44, show=self._way,
                   hint="Microphones go to the desk; ear mixes come from it."),
            self.field("Device", 140, "device", typed.text, lambda r: r.device),
            self.field("Kind", 120, "kind", str, lambda r: r.kind, words(ROUTE_KINDS)),
            self.field("Channel", 62, "channel", _channel, lambda r: "/".join(
                map(str, patch.channels(r))), many=False, right=True),
            self.field("Width", 70, "stereo", typed.yes, lambda r: "stereo" if r.stereo else "mono",
                       yes_no("stereo", "mono"), hint="Stereo takes this channel and the next; they stay together."),
            Column(title="Note", width=180, show=self._note, prose=True),
        ]  # fmt: skip


class PortColumns(Columns):
    """Columns of the intercom's ports."""

    def all(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope

        def link_choices(_: Port) -> list[tuple[str, Any]]:
            talking = [x for x in kit.links(store, scope) if x.service == "intercom"]
            return [("none", None), *self.choices(Link, talking)]

        return [
            self.field("Port", 150, "name", typed.name, lambda p: p.name, many=False),
            self.field("Kind", 90, "kind", str, lambda p: p.kind, words(PORT_KINDS)),
            self.field("Device", 130, "device", typed.text, lambda p: p.device),
            self.field("Joins", 180, "joins", _joins, lambda p: ", ".join(p.joins),
                       hint="Lines and groups, separated by commas; what has one name is one line."),
            self.field("Link", 120, "link_id", lambda v: v, lambda p: self.named(Link, p.link_id) or "none",
                       link_choices, many=False),
            self.field("Note", 160, "note", typed.text, lambda p: p.note, prose=True),
        ]  # fmt: skip


def _channel(value: Any) -> int:
    """The first channel; what stands behind a stroke is the other of a pair."""
    return typed.whole(1, patch.MOST_CHANNELS)(str(value).split("/")[0])


def _joins(value: Any) -> tuple[str, ...]:
    return tuple(dict.fromkeys(filter(None, (part.strip() for part in str(value).split(",")))))
