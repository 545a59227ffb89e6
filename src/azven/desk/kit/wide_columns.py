"""The columns of wideband carriers and of the packs on them."""

from typing import Any

from azven.book.records import WIDE_STATES, Model, Wideband, WidePack, Zone
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns, words, yes_no
from azven.desk.kit.link_columns import act_choices
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.work import ground
from azven.work.kit import wide_deeds, wide_places, wideband
from azven.work.kit.wideband import WideView
from azven.work.wording import decibel

_NONE = WideView(standings=(), packs=(), loose=())


class WideColumns(Columns):
    """What both tables share; `found` is read once for all rows."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found = _NONE

    def read(self) -> None:
        self.found = wideband.view(self.session.store, self.session.scope, self.session.picture)

    def rooms(self, record: Wideband | WidePack, whole: str) -> str:
        names = self.told(Zone)
        return ", ".join(names[r] for r in record.rooms if r in names) or whole

    def room_choices(self, whole: str) -> list[tuple[str, Any]]:
        zones = ground.zones(self.session.store, self.session.scope)
        return list(act_choices(zones, self.told(Zone), whole))

    def modes(self) -> list[str]:
        """Names of the modes of the carriers that there are, else of all models."""
        store = self.session.store
        models = [s.model for s in self.found.standings] or wide_places.wideband_models(store)
        return list(dict.fromkeys(name for m in models for name, *_ in m.modes))

    # -- carriers --------------------------------------------------------------------------------------

    def channel_choices(self, carrier: Wideband) -> list[tuple[str, Any]]:
        """Channels where it may stand, the quietest first, with what each costs."""
        session = self.session
        known, unswept = wide_deeds.offers(session.store, session.scope, session.picture, carrier)
        out: list[tuple[str, Any]] = [("not placed", "")]
        for offer in known:
            costs = f", {offer.cost} link{'' if offer.cost == 1 else 's'} too close" if offer.cost else ""
            taken = ", taken" if offer.taken else ""
            out.append((f"{offer.channel}: {decibel(offer.power_dbm)}{taken}{costs}", offer.channel))
        out += [(f"{name}: not swept", name) for name in unswept]
        if carrier.channel and carrier.channel not in [value for _, value in out]:
            out.append((f"{carrier.channel}: not permitted or taken", carrier.channel))
        return out

    def carriers(self) -> list[Column]:
        store = self.session.store

        def state(carrier: Wideband) -> str:
            standing = next((s for s in self.found.standings if s.carrier.id == carrier.id), None)
            return "broken" if standing is not None and standing.wrong else ""

        return [
            self.field("Carrier", 110, "name", typed.name, lambda c: c.name, many=False, mark=state),
            self.field("Model", 130, "model_id", int, lambda c: store.get(Model, c.model_id).name,
                       lambda _: self.choices(Model, wide_places.wideband_models(store))),
            self.field("Channel", 130, "channel", str, lambda c: c.channel or "not placed", self.channel_choices,
                       many=False, hint="Where it may stand: the power that sweeps heard there at the worst of their "
                       "places, and how many narrow links would be too close."),
            self.field("Heard in", 116, "rooms", tuple, lambda c: self.rooms(c, "all rooms"),
                       lambda _: self.room_choices("all rooms"), hint="The rooms of the antennas assigned to it."),
            self.field("Guard kHz", 76, "guard_hz", typed.kilo, lambda c: f"{c.guard_hz / 1e3:g}", right=True,
                       hint="Narrow links keep so far from the edges of its width; exactly that is enough."),
            self.field("Starts", 70, "state", str, lambda c: c.state, words(WIDE_STATES),
                       hint="Muted is usual for a show that travels: nothing is sent before someone wants it."),
            self.field("Use", 70, "spare", typed.yes, lambda c: "spare" if c.spare else "carries",
                       yes_no("spare", "carries"), hint="A spare is left free when packs are packed."),
        ]  # fmt: skip

    # -- packs -----------------------------------------------------------------------------------------

    def packs(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope

        def mode_choices(_: WidePack) -> list[tuple[str, Any]]:
            return [("nothing", ""), *((m, m) for m in self.modes())]

        def carrier_choices(_: WidePack) -> list[tuple[str, Any]]:
            return [("none", None), *self.choices(Wideband, wide_places.carriers(store, scope))]

        return [
            self.field("Pack", 120, "name", typed.name, lambda p: p.name, many=False),
            self.field("Sends in", 96, "mode", str, lambda p: p.mode or "nothing", mode_choices),
            self.field("Hears mix", 100, "mix", typed.text, lambda p: p.mix or "none",
                       hint="Packs that hear one mix in one mode share its slots."),
            self.field("Mix in", 96, "mix_mode", str, lambda p: p.mix_mode if p.mix else "", mode_choices),
            self.field("Width", 66, "stereo", typed.yes, lambda p: ("stereo" if p.stereo else "mono") if p.mix else "",
                       yes_no("stereo", "mono")),
            self.field("Needs", 110, "rooms", tuple, lambda p: self.rooms(p, "no room said"),
                       lambda _: self.room_choices("no room said"), hint="Rooms that its carrier has to cover."),
            self.editable("Carrier", 100, lambda p: self.named(Wideband, p.wideband_id) or "none",
                          wide_deeds.put_on, carrier_choices, mark=lambda p: "" if p.wideband_id else "unknown"),
            self.field("Now", 60, "busy", typed.yes, lambda p: "in use" if p.busy else "idle",
                       yes_no("in use", "idle"), hint="A pack is moved to another carrier only while it is idle."),
            self.field("Note", 90, "note", typed.text, lambda p: p.note, prose=True),
        ]  # fmt: skip
