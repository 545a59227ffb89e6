"""One rack as Azven sees it, through all its connections: a state machine without network and clock.

It is told what happens (`opened`, `received`, `ended`, `failed`, `tick`) with the time [s], and answers through its
`Hands`: bytes to send, a connection to close, frames and events to tell. `next_try_s` says when to connect again.
"""

import json
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Protocol

from azven.gear.racks import answers
from azven.gear.racks.bucket import Bucket
from azven.gear.racks.calls import Call, Calls
from azven.gear.racks.card import Card, CardError, read_card
from azven.gear.racks.left_out import LeftOut
from azven.gear.racks.lines import Splitter, sorted_out
from azven.gear.racks.retry import Retry
from azven.gear.racks.scans import Scan
from azven.gear.racks.status import Status
from azven.gear.racks.told import Kind, Told
from azven.gear.racks.values import Checker, Fields, is_int, is_number
from azven.gear.racks.words import (
    AFTER_REFUSAL_S,
    BAD_LINES,
    CATCH_UP,
    GET_AGAIN_S,
    LOST_S,
    MOST_LEVELS,
    NOT_ALLOWED,
    OTHERS_HELD,
    OTHERS_HZ,
    PING_AFTER_S,
    RATE_HZ,
    SILENT_S,
    STALL_S,
    Word,
)

_WITHHELD = "The token was not sent: the connection is neither encrypted nor on this machine."


class Hands(Protocol):
    """What a link does to the world."""

    def send(self, data: bytes) -> None:
        """Send bytes to the rack."""

    def close(self) -> None:
        """Close the connection."""

    def frame(self, link: "RackLink", now_s: float, changes: dict[str, Fields], full: bool) -> None:
        """A frame was taken: fields by channel, as they are for the log."""

    def told(self, link: "RackLink", told: Told) -> None:
        """Something to tell."""

    def certified(self, link: "RackLink", rack_id: str | None) -> str:
        """Why the certificate of the connection is not the one remembered for the address (None) or for a rack; empty
        when it is, or is the first."""

    def taken(self, link: "RackLink", rack_id: str) -> bool:
        """Whether another live link has a rack of this id."""


class RackLink:
    """A rack at an address. `token`: what it is given at `hello`, None where it gets none; `chance` draws 0…1."""

    def __init__(
        self, address: str, hands: Hands, chance: Callable[[], float], token: str | None = None, client: str = "Azven"
    ) -> None:
        self.address = address
        self._hands = hands
        self._token = token
        self._client = client
        self.checker = Checker(token)
        self.retry = Retry(chance)
        self.status = Status()
        self.settings: dict[str, Fields] = {}
        self.scans: dict[str, Scan] = {}
        self.card: Card | None = None
        self.up = False
        """There is a connection."""
        self.ready = False
        """The card of this connection was taken."""
        self.state: str = "new"
        """`new` before the first frame, then `live`, `silent` or `lost`."""
        self.last_status_s: float | None = None
        self._since_s: float | None = None
        self._calls = Calls(self._write)
        self._withheld = False
        self._left_out = LeftOut(self.checker)

    @property
    def id(self) -> str | None:
        """The rack's id, once a card was taken."""
        return self.card.id if self.card else None

    # what happens

    def opened(self, now_s: float, private: bool = True) -> None:
        """A connection is there; the token goes only over a `private` one."""
        self._begin(now_s)
        self.up, self.ready = True, False
        self._splitter, self._calls = Splitter(), Calls(self._write)
        self._unread: dict[str, float] = {}
        """Channels whose settings were not told when asked for, and when they are asked for again."""
        self._sent_s = self._now_s = now_s
        self._first_frame_s: float | None = None
        self._frame_s = now_s
        self._frames = Bucket(STALL_S * RATE_HZ, CATCH_UP * RATE_HZ, now_s)
        self._others = Bucket(OTHERS_HELD, OTHERS_HZ, now_s)
        self._left_out.new_link()
        self._snapshot_s = -1.0
        self.status.new_link()
        why = self._hands.certified(self, None)
        if why:
            self._refuse(now_s, why, None)
            return
        self._withheld = self._token is not None and not private
        self._calls.add(Call("hello", self._hello(), ended=self._hello_ended), now_s)

    def _hello(self) -> dict[str, Any]:
        token = {} if self._token is None or self._withheld else {"token": self._token}
        return {"client": self._client, "link": 1, **token}

    def received(self, data: bytes, now_s: float) -> None:
        """Bytes came."""
        if not self.up:
            return
        self._now_s = now_s
        for line in self._splitter.lines(data):
            if line is None:
                self._bad_line("long", now_s)
            else:
                self._line(line, now_s)
            if not self.up:
                return

    def ended(self, now_s: float) -> None:
        """The connection is over."""
        if self.up:
            self._tell(now_s, "cut", {})
            self._over(now_s, None)
        else:
            self.retry.ended(now_s)

    def failed(self, now_s: float) -> None:
        """A try to connect found nobody."""
        self._begin(now_s)
        self.retry.after_try(now_s, steady=False)

    def tick(self, now_s: float) -> None:
        """Time passes: at least ten times a second."""
        if self._since_s is None or (not self.up and self.retry.next_s is None):
            return
        self._now_s = now_s
        quiet_s = now_s - (self._since_s if self.last_status_s is None else self.last_status_s)
        if self.state != "lost" and quiet_s >= LOST_S:
            self._state(now_s, "lost")
        elif self.state in ("new", "live") and quiet_s >= SILENT_S:
            self._state(now_s, "silent")
        if self.up:
            self._tick_open(now_s)
        self._tell_bad(now_s)

    def call(self, call: Call, now_s: float) -> None:
        """Ask the rack for something; without a card that was taken the call is cut at once."""
        if not self.ready:
            call.end("cut")
            return
        self._calls.add(call, now_s)

    def inherit(self, other: "RackLink") -> None:
        """This is the rack that was at another address, whose link is down."""
        self.state, self.last_status_s = other.state, other.last_status_s
        self.status.values = {c: dict(f) for c, f in other.status.values.items()}
        self.settings = {c: dict(f) for c, f in other.settings.items()}

    def stand_by(self, now_s: float) -> None:
        """The rack of this link was found at another address: nothing more is told of it here."""
        self.card, self.state = None, "lost"
        self.retry.after_link(now_s, 0.0, AFTER_REFUSAL_S)

    def ask_again(self, now_s: float) -> None:
        """A person wants another try now."""
        if not self.up:
            self.retry.now(now_s)

    def give_up(self, now_s: float, why: str) -> None:
        """Close the connection for good."""
        if self.up:
            self._close(now_s, why, None)
        self.retry.never()
        self._tell_bad(now_s, all_of_it=True)

    @property
    def next_try_s(self) -> float | None:
        """When to connect again; None: not before a person asks, or there is a connection."""
        return None if self.up else self.retry.next_s

    # lines

    def _line(self, line: bytes, now_s: float) -> None:
        sort, value = sorted_out(line)
        if sort == "answer":
            self._answer(value, now_s)
        elif sort == "notification":
            self._notified(value["method"], value.get("params"), now_s)
        else:
            self._bad_line(sort, now_s)

    def _notified(self, method: str, params: Any, now_s: float) -> None:
        bucket = self._frames if method == "status" else self._others
        if not bucket.take(now_s):
            self._bad_line("flood", now_s)
            return
        take = _TAKEN.get(method)
        if take is None:
            return
        if type(params) is not dict:
            self._bad_line("type", now_s)
        elif not self.ready:
            self._bad_line("unasked", now_s)
        else:
            word = take(self, params, now_s)
            if word is not None:
                self._bad_line(word, now_s)

    def _take_status(self, params: dict[str, Any], now_s: float) -> Word | None:
        ms, n, full, c = params.get("ms"), params.get("n"), params.get("full"), params.get("c")
        if not is_int(ms) or not is_int(n) or n <= 0 or type(full) is not bool or type(c) is not dict:
            return "type"
        if not self.status.in_order(n):
            return "order"
        changes = self.status.frame(ms, n, full, c, self.checker)
        self.last_status_s = self._frame_s = now_s
        if self._first_frame_s is None:
            self._first_frame_s = now_s
        if self.state != "live":
            back = self.state in ("silent", "lost")
            self.state = "live"
            if back:
                self._tell(now_s, "back", {})
        self._hands.frame(self, now_s, changes, full)
        if self.status.gap:
            self._fill_gap(now_s)
        return None

    def _take_changed(self, params: dict[str, Any], now_s: float) -> Word | None:
        channel, values, by = params.get("channel"), params.get("values"), params.get("by")
        if type(channel) is not str or type(values) is not dict:
            return "type"
        if not self._has(channel):
            self.checker.count("channel")
            return None
        taken = self.checker.settings(values)
        self.settings.setdefault(channel, {}).update(taken)
        if "band" in taken:
            self._ask_card()
        who = self.checker.text(by) if isinstance(by, str) else None
        self._tell(now_s, "changed", {"channel": channel, "values": taken, "by": who})
        return None

    def _take_event(self, params: dict[str, Any], now_s: float) -> Word | None:
        channel, kind = params.get("channel"), params.get("kind")
        if type(kind) is not str or not (channel is None or type(channel) is str):
            return "type"
        if channel is not None and not self._has(channel):
            self.checker.count("channel")
            return None
        self._tell(now_s, "event", {"kind": self.checker.text(kind), "channel": channel})
        return None

    def _take_scan(self, params: dict[str, Any], now_s: float) -> Word | None:
        scan, low, step = params.get("scan"), params.get("low_hz"), params.get("step_hz")
        levels, done = params.get("levels"), params.get("done")
        if type(scan) is not str or type(levels) is not list or type(done) is not bool or len(levels) > MOST_LEVELS:
            return "type"
        begun = self.scans.get(scan)
        if begun is None or begun.done:
            return "unasked"
        if levels:
            if not is_int(low) or not is_int(step) or step <= 0:
                return "type"
            begun.take(low, step, levels, self.checker)
        begun.done = done
        return None

    def _has(self, channel: str) -> bool:
        return self.card is not None and channel in self.status.values

    # answers

    def _answer(self, value: dict[str, Any], now_s: float) -> None:
        call_id = value["id"]
        call = self._calls.answered(call_id, now_s) if is_int(call_id) else None
        if call is not None:
            self._settle(call, value, now_s)
            return
        late = self._calls.late(call_id) if is_int(call_id) else None
        if late is None:
            self._bad_line("unasked", now_s)
            return
        self._tell(now_s, "late", {"method": late.method, "channel": late.channel, "by": late.by})
        self._read_again(late, now_s)

    def _settle(self, call: Call, value: dict[str, Any], now_s: float) -> None:
        outcome, bad = answers.read(call, value, self.checker)
        if bad:
            self._bad_line("type", now_s)
        if call.changes:
            self._tell(now_s, "answered", answers.told(call, outcome, self.checker))
        if not self.up:  # the answer was the last bad line that was borne
            call.end("cut")
            return
        self._learn(call, outcome)
        call.end("done" if outcome == "done" else "failed")

    def _learn(self, call: Call, outcome: str) -> None:
        """What an answer says about settings and scans."""
        if call.channel is not None and (values := answers.settings(call, self.checker)) is not None:
            self.settings[call.channel] = values
        if begun := answers.scan(call, outcome):
            self.scans[begun[0]] = begun[1]
        if answers.changes_card(call, outcome):
            self._ask_card()

    def _ask_card(self) -> None:
        """A second hello only brings the card again."""
        self._calls.add(Call("hello", self._hello(), ended=self._card_again), self._now_s)

    def _card_again(self, call: Call) -> None:
        with suppress(CardError):  # the card that is known stays
            card = read_card(call.result, self.checker) if call.outcome == "done" else None
            if card is not None and self.card is not None and card.id == self.card.id:
                self.card = card

    def _hello_ended(self, call: Call) -> None:
        now_s = self._now_s
        if call.outcome == "failed":
            if call.error == NOT_ALLOWED:
                why = call.message or "The rack wants a token."
                self._refuse(now_s, f"{why} {_WITHHELD}" if self._withheld else why, None)
            else:
                self._close(now_s, call.message or f"The rack refused hello ({call.error}).", None, as_cut=True)
        if call.outcome != "done":
            return
        try:
            card = read_card(call.result, self.checker)
        except CardError as error:
            self._refuse(now_s, str(error), AFTER_REFUSAL_S)
            return
        if self._hands.taken(self, card.id):
            self._tell(now_s, "same-id", {"id": card.id})
            self._over(now_s, AFTER_REFUSAL_S)
            return
        why = self._hands.certified(self, card.id)
        if why:
            self._refuse(now_s, why, None)
            return
        self._welcome(card, now_s)

    def _welcome(self, card: Card, now_s: float) -> None:
        if self.card is None or self.card.id != card.id:
            self.settings.clear()
        self.card, self.ready = card, True
        self.status.channels([c.id for c in card.channels])
        self._tell(now_s, "connected", {})
        self._calls.add(Call("subscribe", {"rate_hz": int(RATE_HZ)}, ended=self._subscribed), now_s)
        for channel in card.channels:
            self._calls.add(Call("get", {"channel": channel.id}), now_s, later=True)

    def _subscribed(self, call: Call) -> None:
        if call.outcome == "failed":
            self._close(self._now_s, call.message or "The rack refused to tell its status.", None, as_cut=True)
        granted = call.result.get("rate_hz")
        if call.outcome == "done" and is_number(granted):
            rate = min(RATE_HZ, max(float(granted), 1.0))
            held = STALL_S * rate
            self._frames = Bucket(held, CATCH_UP * rate, self._now_s, min(self._frames.left, held))

    # holes

    def _fill_gap(self, now_s: float) -> None:
        if self.status.gap and now_s >= self._snapshot_s + 1.0 and not self._calls.open("snapshot"):
            self._snapshot_s = now_s
            self._calls.add(Call("snapshot", ended=self._snapshot_came), now_s)

    def _snapshot_came(self, call: Call) -> None:
        if call.outcome != "done":
            return
        ms, n, c = (call.result.get(k) for k in ("ms", "n", "c"))
        if not is_int(ms) or not is_int(n) or n < 0 or type(c) is not dict:
            self._bad_line("type", self._now_s)
            return
        changes = self.status.snapshot(n, c, self.checker)
        self._hands.frame(self, self._now_s, changes, True)
        self._fill_gap(self._now_s)

    def _read_again(self, call: Call, now_s: float) -> None:
        if call.changes and call.channel is not None and self.ready:
            self._calls.add(Call("get", {"channel": call.channel}), now_s)

    # time

    def _begin(self, now_s: float) -> None:
        if self._since_s is None:
            self._since_s = now_s

    def _tick_open(self, now_s: float) -> None:
        for call in self._calls.overdue(now_s):
            if call.method == "get" and call.channel is not None:  # what it is set to has to be known
                self._unread[call.channel] = now_s + GET_AGAIN_S
            if call.changes:
                self._tell(now_s, "answered", {"method": call.method, "channel": call.channel, "by": call.by,
                                               "error": {"message": "No answer came."}})  # fmt: skip
            call.end("unanswered")
            self._read_again(call, now_s)
        for channel in [c for c, at_s in self._unread.items() if now_s >= at_s]:
            del self._unread[channel]
            self._calls.add(Call("get", {"channel": channel}), now_s, later=True)
        if now_s - self._frame_s >= LOST_S:
            if self.state == "lost" and self._told_lost_s == now_s:
                self._over(now_s, None)
            else:
                self._close(now_s, "no frame came for 10 s", None, as_cut=True)
            return
        self._fill_gap(now_s)
        if now_s - self._sent_s >= PING_AFTER_S and self.ready and not self._calls.open("ping"):
            self._calls.add(Call("ping"), now_s)

    def _state(self, now_s: float, state: Kind) -> None:
        if state == "lost":
            if self.state in ("new", "live"):
                self._tell(now_s, "silent", {})
            self._told_lost_s = now_s
        self.state = state
        self._tell(now_s, state, {})

    _told_lost_s = -1.0

    # ends

    def _close(self, now_s: float, why: str, again_s: float | None, as_cut: bool = False) -> None:
        self._tell(now_s, "closed", {"why": why})
        self._over(now_s, None if as_cut else again_s)

    def _refuse(self, now_s: float, why: str, again_s: float | None) -> None:
        """Refuse a rack, until `again_s` have passed or for good."""
        self._tell(now_s, "refused", {"why": why})
        self._over(now_s, again_s)
        if again_s is None:
            self.retry.never()

    def _over(self, now_s: float, again_s: float | None) -> None:
        """The connection is done with; `again_s`: a wait of its own before the next try."""
        frames_s = 0.0 if self._first_frame_s is None else self._frame_s - self._first_frame_s
        self._tell_bad(now_s, all_of_it=True)
        self.up = self.ready = False
        self.scans.clear()
        self.retry.after_link(now_s, frames_s, again_s)
        self._hands.close()
        for call in self._calls.all():
            call.end("cut")

    def _bad_line(self, word: Word, now_s: float) -> None:
        if self._left_out.line(word, now_s) and self.up:
            self._tell_bad(now_s, all_of_it=True)
            self._close(now_s, f"{BAD_LINES} lines within a minute could not be taken", AFTER_REFUSAL_S)

    def _tell_bad(self, now_s: float, all_of_it: bool = False) -> None:
        for word, count, say in self._left_out.news(now_s, all_of_it):
            self._tell(now_s, "bad", {"why": word, "count": count, "say": say})

    def _tell(self, now_s: float, kind: Kind, detail: dict[str, Any]) -> None:
        self._hands.told(self, Told(now_s, self.id or self.address, kind, detail))

    def _write(self, call: Call) -> None:
        self._sent_s = self._now_s
        if call.changes:
            detail = {**call.params, "method": call.method, "by": call.by}
            self._tell(self._now_s, "sent", detail)
        line = {"jsonrpc": "2.0", "id": call.id, "method": call.method, "params": call.params}
        self._hands.send(json.dumps(line, ensure_ascii=False, separators=(",", ":")).encode("utf-8") + b"\n")


_TAKEN: dict[str, Callable[[RackLink, dict[str, Any], float], Word | None]] = {
    "status": RackLink._take_status,
    "changed": RackLink._take_changed,
    "event": RackLink._take_event,
    "scan": RackLink._take_scan,
}
