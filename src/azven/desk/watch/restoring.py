"""All units put back as they were when the show was signed off: shown first, then sent and written down."""

from functools import partial

from PyQt6.QtWidgets import QWidget

from azven.desk.prove.sending import SendingDialog
from azven.desk.session import Session
from azven.desk.watch.desk import WatchDesk
from azven.gear.racks.calls import Call
from azven.work.prove import sending, signing
from azven.work.prove.sending import Difference


def put_back(session: Session, watch: WatchDesk, parent: QWidget) -> None:
    """Show what differs from how units were set when the show was signed off, and send it when it is wanted."""
    racks = session.racks
    signed = signing.standing(session.store, session.scope).signed
    if signed is None or not signed.settings:
        session.say("No sign-off tells how units were set: sign off in Prove while the racks are heard.", trouble=True)
        return
    links = [lane.link for lane in racks.now.lanes]
    rows = sending.as_signed(links, racks.now.keys, signed.settings, racks.here.settings)
    if not rows:
        session.say("Every unit that is heard is set as it was when the show was signed off.")
        return
    SendingDialog(session, rows, lambda: racks.send(rows, partial(_sent, session, watch, rows)), parent).show()


def _sent(session: Session, watch: WatchDesk, rows: list[Difference], calls: list[Call]) -> None:
    done = sum(c.outcome == "done" for c in calls)
    here = session.racks.here
    for one in rows:
        read = here.settings(one.key).get(one.setting)
        watch.write("deed", what="as signed off", link=one.link.name, rack=one.key[0], before={one.setting: one.there},
                    values={one.setting: one.wanted}, outcome="done" if read == one.wanted else "not done",
                    by=here.who)  # fmt: skip
    words = f"{done} of {len(calls)} units are set as they were when the show was signed off."
    session.say(words, trouble=done < len(calls))
