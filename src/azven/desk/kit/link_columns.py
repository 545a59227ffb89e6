"""The columns of Kit's links and acts."""

from collections.abc import Sequence
from datetime import datetime
from itertools import combinations
from typing import Any

from azven.book.edits import Edit
from azven.book.records import USE_CLASSES, Act, Link, Model, Zone
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns, words
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.work import ground, kit
from azven.work.ground.hours import Clock
from azven.work.kit import receivers
from azven.work.kit.fitting import Fits
from azven.work.plan import sheet

_CHANGES = {False: "one after the other", True: "both may be on"}
_FEW_ACTS = 4
"""Of so few acts every combination is offered, of more those that follow one another."""


def act_choices(
    acts: Sequence[Act] | Sequence[Zone], names: dict[int, str], whole: str
) -> list[tuple[str, tuple[int, ...]]]:
    """Acts to choose from, `whole` for all of them."""
    runs = [list(acts[i:j]) for i in range(len(acts)) for j in range(i + 1, len(acts) + 1)]
    if len(acts) <= _FEW_ACTS:
        runs = [list(some) for n in range(1, len(acts) + 1) for some in combinations(acts, n)]
    return [(whole, ()), *((", ".join(names[a.id] for a in r), tuple(a.id for a in r)) for r in runs)]


class LinkColumns(Columns):
    """Columns of links; `fits` and `wearers` are read once for all rows."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.fits = Fits({}, {}, {})
        self.wearers: dict[int, str] = {}

    def read(self) -> None:
        """Read anew what is said of all links."""
        store, scope = self.session.store, self.session.scope
        self.fits = kit.fits(store, scope)
        self.wearers = dict(kit.wearers(store, scope))

    def _set(self, field: str, convert: Any) -> Any:
        store = self.session.store

        def edit(links: Sequence[Link], value: Any) -> Edit:
            return kit.change_links(store, links, **{field: convert(value)})

        return edit

    def _set_role(self, links: Sequence[Link], value: tuple[bool, bool]) -> Edit:
        return kit.change_links(self.session.store, links, spare=value[0], set_aside=value[1])

    def _model(self, link: Link) -> Model:
        return self.session.store.get(Model, link.model_id)

    def _power(self, link: Link) -> str:
        model = self._model(link)
        steps = kit.steps_of(model)
        set_to = link.power_step_mw or model.power_mw
        return next((said for said, mw in steps if abs(mw - set_to) < 0.01), f"{set_to:.3g} mW")

    def _powers(self, link: Link) -> list[tuple[str, Any]]:
        model = self._model(link)
        return [(s, 0.0 if abs(mw - model.power_mw) < 0.01 else round(mw, 3)) for s, mw in kit.steps_of(model)]

    def _acts(self, link: Link) -> str:
        said = sheet.act_names(link, self.told(Act))
        return f"{said} ({', '.join(link.acts_gone)} gone)" if kit.acts_note(link) else said

    def _receivers(self, link: Link) -> str:
        return ", ".join(f"{u.name} · {n}" if n else u.name for u, n in self.fits.heard_by.get(link.id, ()))

    def all(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope
        importances = [(f"{k} {v}", k) for k, v in kit.PRIORITIES.items()]
        roles = [("on", (False, False)), ("spare", (True, False)), ("set aside", (False, True))]
        return [
            self.editable("Name", 122, lambda x: x.name, self._set("name", str), many=False,
                          mark=lambda x: self.fits.state(Link, x.id)),
            self.editable(
                "Model", 132, lambda x: self.named(Model, x.model_id), self._set("model_id", int),
                lambda _: self.choices(Model, ground.models(store)),
            ),
            self.editable("Band", 76, lambda x: x.band, self._set("band", str),
                          lambda x: [(b[0], b[0]) for b in self._model(x).bands]),
            self.editable(
                "Room", 88, lambda x: self.named(Zone, x.zone_id), self._set("zone_id", int),
                lambda _: self.choices(Zone, ground.zones(store, scope)),
            ),
            self.editable(
                "Acts", 112, self._acts, self._set("acts", tuple),
                lambda _: act_choices(kit.acts(store, scope), self.told(Act), "always"), prose=True,
            ),
            self.editable(
                "Worn by", 96, lambda x: self.wearers.get(x.id, "") or x.performer, self._set("performer", str),
                hint="Persons who wear it, from the page Persons. Where nobody does, a name may stand here. Links of "
                "one person are on one body: judged by level, their packs couple.",
            ),
            self.editable(
                "Receiver", 104, self._receivers, lambda links, value: receivers.put_on(store, scope, links, value),
                lambda x: receivers.choices(store, scope, x),
                hint="The rack unit and the receiver there that hear this link; for in-ears the transmitter that sends "
                "it. A link may be heard by several.",
            ),
            self.editable("Importance", 84, lambda x: f"{x.priority} {kit.PRIORITIES.get(x.priority, '')}",
                          self._set("priority", int), lambda _: importances),
            self.editable("Spectrum", 70, lambda x: x.use_class, self._set("use_class", str), words(USE_CLASSES)),
            self.editable(
                "Role", 62, lambda x: "set aside" if x.set_aside else "spare" if x.spare else "on", self._set_role,
                lambda _: roles,
            ),
            self.editable("Power", 100, self._power, self._set("power_step_mw", float), self._powers),
            Column(title="Note", width=240, show=lambda x: self.fits.words(Link, x.id), prose=True),
        ]  # fmt: skip


class ActColumns(Columns):
    """Columns of acts."""

    def _clock(self) -> Clock:
        return ground.here(self.session.store, self.session.scope).clock

    def _moment(self, value: Any) -> datetime | None:
        return self._clock().moment(str(value))

    def _links_in(self, act: Act) -> str:
        return str(sum(act.id in x.acts or not x.acts for x in kit.links(self.session.store, self.session.scope)))

    def _change_to_next(self, act: Act) -> str:
        last = kit.acts(self.session.store, self.session.scope)[-1:]
        return "" if act in last else _CHANGES[act.touches_next]

    def all(self) -> list[Column]:
        return [
            self.field("Act", 220, "name", typed.name, lambda a: a.name, many=False),
            self.field("From", 150, "starts_at", self._moment, lambda a: self._clock().said(a.starts_at), many=False),
            self.field("To", 150, "ends_at", self._moment, lambda a: self._clock().said(a.ends_at), many=False),
            self.field(
                "Change to the next", 130, "touches_next", bool, self._change_to_next,
                lambda _: [(text, touches) for touches, text in _CHANGES.items()],
                hint="Whether links of this act may still be on when those of the next one come on. If so, links of "
                "both keep clear of one another, which costs places.",
            ),
            Column(title="Links on", width=80, show=self._links_in, right=True),
        ]  # fmt: skip
