"""What a watch tells by OSC, read back from the wire."""

import socket

import pytest
from pythonosc.osc_message import OscMessage

from azven.gear.osc import OscSender, target
from azven.refusal import Refusal
from azven.rf.diagnose.record import Incident
from azven.rf.running import Left
from azven.work.watch.batteries import Charge
from azven.work.watch.cases import Alarm, Case
from azven.work.watch.night import Seen
from azven.work.watch.osc import Telling, messages
from azven.work.watch.watched import Watched


@pytest.fixture
def heard():
    made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    made.bind(("127.0.0.1", 0))
    made.settimeout(10)
    yield made
    made.close()


def seen(q=98, mark="broken"):
    it = Incident(from_s=0, to_s=9, links=("Narrator",), cause="foreign", sure=0.9, detail={"freq_hz": 470_804_000})
    case = Case(number=3, incident=it, since_s=0, last_s=9, mark=mark)
    charge = Charge(link=0, name="Narrator", gauge=50, left=Left(87.6, "unit"), full_min=None, needed_min=None)
    watched = Watched(document={"links": [{"name": "Narrator"}, {"name": "Chöir"}]}, start=None)
    status = ({"q": q, "a": -61.5, "mute": True}, {})
    return Seen(t=9.0, watched=watched, open=(case,), status=status, charges=(charge,))


def test_messages_have_what_the_table_says(heard):
    sender = OscSender("127.0.0.1", heard.getsockname()[1])
    telling = Telling(sender.send)
    telling.alarms([Alarm("new", seen().open[0])])
    telling.look(seen())
    told = [OscMessage(heard.recv(4096)) for _ in range(4)]
    assert [(m.address, m.params) for m in told] == [
        ("/azven/alarm", [3, "new", "foreign", "broken", 1, "Narrator", "Somebody else sends on 470.804 MHz."]),
        ("/azven/cases", [1, 1, 0]),
        ("/azven/link/1", ["Narrator", 3, "broken", 98, -62, -1000, 88, 1]),
        ("/azven/link/2", ["Chöir", 0, "calm", -1000, -1000, -1000, -1000, 0]),
    ]
    assert sender.dropped == 0
    sender.close()
    sender.send("/azven/cases", 1)
    assert sender.dropped == 1


def test_only_what_changed_is_told_and_all_of_it_now_and_then():
    sent = []
    telling = Telling(lambda address, *values: sent.append(address), all_every=4)
    telling.look(seen())
    telling.look(seen())
    assert len(sent) == len(list(messages(seen()))) == 3
    telling.look(seen(q=40))
    assert sent[3:] == ["/azven/link/1"]
    telling.look(seen(q=40))
    assert len(sent) == 7


@pytest.mark.parametrize("text", ["", "9000", "host:", ":9000", "host:0", "host:70000", "host:-1", "a:b"])
def test_what_is_no_target_is_refused(text):
    with pytest.raises(Refusal):
        target(text)


def test_targets():
    assert target(" 192.168.4.20:9000 ") == ("192.168.4.20", 9000)
    assert target("[::1]:9000") == ("::1", 9000)
