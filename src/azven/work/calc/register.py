"""Calculations on the register: deeds, what is astray, bookings, shortage, far links, tours, what is due, desks."""

from collections.abc import Mapping
from datetime import UTC, date, datetime
from typing import Any

from azven.rf.coordinate.tour import tour
from azven.rf.register import astray, bookings, deeds, due, far
from azven.rf.register.bookings import Booking, Stock, Want
from azven.rf.register.deeds import Deed, Span
from azven.rf.request import KINDS as PRODUCTS
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request
from azven.work.calc.given import Input, Kind, listed, number, whole
from azven.work.desks import waiting


def _moment(text: Any) -> datetime:
    found = datetime.fromisoformat(str(text))
    if found.tzinfo is None:
        raise ValueError(f"{text} has no time zone")
    return found.astimezone(UTC)


def _told(moment: datetime) -> str:
    return moment.isoformat().replace("+00:00", "Z")


def _day(text: Any) -> date | None:
    return None if text is None else date.fromisoformat(str(text))


def _shows(given: Input) -> dict[str, Span]:
    return {
        str(name): Span(_moment(s["load_in"]), _moment(s["load_out"])) for name, s in given.get("shows", {}).items()
    }


def _unit_state(given: Input) -> dict[str, Any]:
    done = [
        Deed(at=_moment(d["at"]), kind=str(d["deed"]), by=str(d.get("who", "")), where=d.get("where"),
             show=d.get("show"), to=d.get("to"), why=str(d.get("why", "")))
        for d in listed(given, "deeds")
    ]  # fmt: skip
    found = deeds.standing(
        str(given["home"]), done, _shows(given), _moment(given["now"]), bool(given.get("heard", False))
    )
    return {
        "state": found.state, "written": found.written, "where": found.where, "holder": found.holder,
        "history": [
            {"at": _told(x.deed.at), "deed": x.deed.kind, "by": x.deed.by, "before": x.before, "after": x.after,
             "refused": x.refused} for x in found.history
        ],
    }  # fmt: skip


def _exceptions(given: Input) -> dict[str, Any]:
    units = {
        str(u["id"]): astray.Written(u["state"], u.get("freq_hz"), str(u["where"])) for u in listed(given, "units")
    }
    heard = [
        astray.Heard(_moment(h["at"]), str(h["unit"]), whole(h, "freq_hz"), str(h["site"]))
        for h in listed(given, "heard")
    ]
    return {"exceptions": [{**vars(x), "at": _told(x.at)} for x in astray.exceptions(heard, units)]}


def _km(given: Input) -> dict[frozenset[str], float]:
    return {frozenset({str(a), str(b)}): float(km) for a, b, km in given.get("km", ())}


def _booking(given: Input, unit: str = "") -> Booking:
    return Booking(
        str(given.get("id", "")), str(given.get("unit", unit)), str(given["site"]), _moment(given["load_in"]),
        _moment(given["load_out"]),
    )  # fmt: skip


def _bookings(given: Input) -> dict[str, Any]:
    found = bookings.collisions([_booking(b) for b in listed(given, "bookings")], _km(given))
    return {"collisions": [{k: v for k, v in vars(c).items() if v is not None} for c in found]}


def _units_short(given: Input) -> dict[str, Any]:
    units = [
        Stock(id=str(u["id"]), model=str(u["model"]), band=str(u["band"]), home=str(u["home"]),
              state=u.get("state", "in case"),
              bookings=tuple(_booking(b, str(u["id"])) for b in u.get("bookings", ())))
        for u in listed(given, "units")
    ]  # fmt: skip
    wants = [Want(str(w["model"]), str(w["band"]), whole(w, "count")) for w in listed(given, "wants")]
    found = bookings.supplies(_booking(given["show"]), wants, units, _km(given))
    return {
        "wants": [
            {**vars(x.want), "home": len(x.home), "short": x.short,
             "others": [{"site": o.site, "units": len(o.units), "travel_min": o.travel_min} for o in x.others]}
            for x in found
        ]
    }  # fmt: skip


def _far_link(given: Input) -> far.FarLink:
    return far.FarLink(
        id=str(given["id"]), name=str(given["id"]), freq_hz=number(given, "freq_hz"),
        bandwidth_hz=number(given, "bandwidth_hz"), erp_dbm=number(given, "erp_dbm"), nf_db=number(given, "nf_db"),
        rx_gain_dbi=number(given, "rx_gain_dbi"), tx_height_m=number(given, "tx_height_m", far.HEIGHT_M),
        rx_height_m=number(given, "rx_height_m", far.HEIGHT_M),
        times=tuple((_moment(a), _moment(b)) for a, b in given.get("times") or ()),
        locked=bool(given.get("locked", False)), free=whole(given, "free", 1), priority=whole(given, "priority", 1),
    )  # fmt: skip


def _far_links(given: Input) -> dict[str, Any]:
    a, b = (_far_link(x) for x in listed(given, "links"))
    clutter = str(given.get("clutter", "town"))
    if clutter not in far.CLUTTER_DB:
        raise ValueError(f"clutter must be one of {', '.join(far.CLUTTER_DB)}")
    lost_db, km = far.CLUTTER_DB[clutter] + number(given, "obstacles_db", 0.0), number(given, "distance_km")
    at = {mine.id: far.reaching(mine, other, km, lost_db) for mine, other in ((a, b), (b, a))}
    matters = any(x.matters for x in at.values())
    mover = far.who_moves([a, b]) if matters else None
    return {"matters": matters, "at": at, "move": mover.id if mover is not None else None}


def _tour(given: Input) -> dict[str, Any]:
    told, links = given["profile"], listed(given, "links")
    guards = {k: whole(told, k) for k in PRODUCTS if k in told}
    requests = tuple(
        Request(id=str(x["id"]), profile="links", zone="room", step_hz=whole(x, "step_hz"),
                ranges=(Range(whole(x, "low_hz"), whole(x, "high_hz")),), priority=whole(x, "priority", 0),
                origin_hz=whole(x, "origin_hz", whole(x, "low_hz")))
        for x in links
    )  # fmt: skip
    asked = PlanRequest(
        profiles={"links": Profile(whole(told, "spacing_hz"), guards)}, zones=("room",), requests=requests,
        blocked=tuple(Blocked(whole(b, "low_hz"), whole(b, "high_hz")) for b in given.get("blocked", ())),
        carriers=tuple(
            Carrier(id=str(c["id"]), freq_hz=whole(c, "freq_hz"), profile="links", zone="room")
            for c in given.get("carriers", ())
        ),
    ).validate()  # fmt: skip
    found = tour(asked, {str(x["id"]): whole(x, "freq_hz") for x in links})
    return {
        "freq_hz": {r.id: found.frequencies.get(r.id) for r in requests}, "kept": sorted(found.kept),
        "moved": sorted(found.moved), "unplaced": sorted(found.unplaced),
    }  # fmt: skip


def _battery(given: Mapping[str, Any] | None) -> due.Battery | None:
    if given is None:
        return None
    return due.Battery(
        since=_day(given.get("since")), limit_months=given.get("limit_months"), measured_min=given.get("measured_min"),
        model_min=given.get("model_min"),
    )  # fmt: skip


def _due(given: Input) -> dict[str, Any]:
    units = [
        due.Kept(id=str(u["id"]), model=str(u.get("model", "")), state=u.get("state", "in case"),
                 since=_day(u.get("since")), until=_day(u.get("until")), firmware=str(u.get("firmware") or ""),
                 battery=_battery(u.get("battery")))
        for u in given.get("units", ())
    ]  # fmt: skip
    licences = [
        due.Licence(str(x["name"]), date.fromisoformat(str(x["until"])), tuple(map(str, x.get("shows", ()))))
        for x in given.get("licences", ())
    ]
    found = due.due(units, licences, _shows(given), _moment(given["now"]), whole(given, "repair_days", due.REPAIR_DAYS))
    return {"due": [{**{k: v for k, v in vars(x).items() if v}, "units": list(x.units)} for x in found]}


def _desks(given: Input) -> dict[str, Any]:
    return waiting.applied(given["book"], listed(given, "edits"))


KINDS = {
    "unit_state": Kind(_unit_state, "how a unit stands after what was done with it, and its history"),
    "exceptions": Kind(_exceptions, "what is heard against what is written of units, told once"),
    "bookings": Kind(_bookings, "bookings of units that collide, with the way between sites"),
    "units_short": Kind(_units_short, "what a show is short of, and where it could come from"),
    "far_links": Kind(_far_links, "whether links of two sites matter to one another, and who could move"),
    "tour": Kind(_tour, "frequencies for the next site that move least"),
    "due": Kind(_due, "batteries, loans, repairs, firmware and licences that are due"),
    "desks": Kind(_desks, "edits of a desk that was cut off: what is applied and what is asked"),
}
