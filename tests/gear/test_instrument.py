"""The instrument link against the stand-in: real sockets, real trouble."""

import contextlib
import os
import socket
import threading
import time
import tty
from dataclasses import replace

import numpy as np
import pytest

from azven.gear.instrument import DialectInstrument, Reconnecting, sweep_in_parts
from azven.gear.standin import StandInAnalyser
from azven.gear.transport import InstrumentError, connect
from azven.rf.sweep import SweepSettings, sweep_time_s
from azven.rf.venue import Antenna, Multiplex, Venue
from azven.work.listen import taking

WORLD = Venue(multiplexes=(Multiplex(low_hz=566_000_000, high_hz=574_000_000, level_dbm=-60.0, bearing_deg=0.0),))
SETTINGS = SweepSettings(start_hz=550_000_000, stop_hz=600_000_000, points=2_001, rbw_hz=30_000)


@pytest.fixture
def analyser():
    made = StandInAnalyser(lambda settings, number: WORLD.sweep(Antenna(), settings, number), pace=0).start()
    yield made
    made.stop()


@pytest.fixture
def instrument(analyser):
    made = DialectInstrument.at(analyser.resource, timeout_s=2)
    yield made
    made.close()


class Peer:
    """A peer that answers every line with the given bytes."""

    def __init__(self, answers):
        self._server = socket.create_server(("127.0.0.1", 0))
        self.resource = f"TCPIP0::127.0.0.1::{self._server.getsockname()[1]}::SOCKET"
        self._thread = threading.Thread(target=self._serve, args=(list(answers),), daemon=True)
        self._thread.start()

    def _serve(self, answers):
        connection, _ = self._server.accept()
        with connection, connection.makefile("rb") as lines:
            for answer in answers:
                if not lines.readline():
                    return
                connection.sendall(answer)

    def close(self):
        self._server.close()
        self._thread.join(2)


@pytest.fixture
def peer():
    made = []

    def make(*answers):
        made.append(Peer(answers))
        return made[-1]

    yield make
    for p in made:
        p.close()


def test_identify_and_sweep(instrument):
    assert "Stand-in" in instrument.identify()
    used = instrument.configure(SETTINGS)
    assert used == SETTINGS
    levels = instrument.sweep()
    freq = np.linspace(SETTINGS.start_hz, SETTINGS.stop_hz, SETTINGS.points)
    inside = (freq > 567e6) & (freq < 573e6)
    assert levels[inside].mean() > levels[~inside].mean() + 20


def test_an_instrument_clips_what_it_cannot_do_and_says_so(instrument):
    used = instrument.configure(SweepSettings(start_hz=50_000_000, stop_hz=600_000_000, points=100_000, rbw_hz=10.0))
    assert (used.start_hz, used.points, used.rbw_hz) == (100_000_000, 20_001, 1_000.0)


def test_long_forms_queries_and_errors_are_understood(analyser):
    line = connect(analyser.resource, 2)
    line.send(":SENSe:FREQuency:STARt 500e6;:SENSe:FREQuency:STARt?;:NONSENSE 3;:SYSTem:ERRor?;*OPC?;:SENS:DET?")
    assert [line.line() for _ in range(4)] == ["500000000", '-113,"Undefined header"', "1", "AVER"]
    line.close()


def test_parts_join_to_the_whole_and_can_be_stopped(instrument):
    seen = []

    def part(freq, level, share):
        seen.append((freq, share))
        return len(seen) < 3

    sweep_in_parts(instrument, SETTINGS, lambda f, lev, s: seen.append((f, s)) or True, parts=8)
    joined = np.concatenate([f for f, _ in seen])
    assert len(joined) == SETTINGS.points
    assert np.all(np.diff(joined) > 0)
    assert seen[-1][1] == 1.0
    seen.clear()
    sweep_in_parts(instrument, SETTINGS, part, parts=8)
    assert len(seen) == 3


def test_going_away_in_mid_sweep_is_one_clear_error(analyser, instrument):
    instrument.configure(SETTINGS)
    analyser.cut_after_bytes = 1_000
    with pytest.raises(InstrumentError, match="closed the connection"):
        instrument.sweep()
    analyser.cut_after_bytes = None
    again = DialectInstrument.at(analyser.resource, 2)
    again.configure(SETTINGS)
    assert len(again.sweep()) == SETTINGS.points
    again.close()


def test_nobody_there():
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    with pytest.raises(InstrumentError, match=r"No instrument answers at 127\.0\.0\.1"):
        connect(f"TCPIP::127.0.0.1::{port}::SOCKET", 1)


def test_silence_ends_in_time(peer):
    line = connect(peer(b"", b"").resource, 0.2)
    line.send("*IDN?")
    with pytest.raises(InstrumentError, match="did not answer in time"):
        line.line()


@pytest.mark.parametrize(
    ("answer", "message"),
    [
        (b"hello\n", "where a block of readings was expected"),
        (b"#9999999999", "announced a block"),
        (b"#210abc", "did not answer in time|closed the connection"),
    ],
)
def test_nonsense_where_a_block_should_be(peer, answer, message):
    line = connect(peer(answer).resource, 0.3)
    line.send("TRAC?")
    with pytest.raises(InstrumentError, match=message):
        line.block()


def test_wrong_numbers_are_refused(peer):
    instrument = DialectInstrument.at(peer(b"twelve\n").resource, 0.5)
    with pytest.raises(InstrumentError, match="answered “twelve”"):
        instrument.configure(SETTINGS)
    instrument.close()


def test_other_resource_names_go_through_pyvisa():
    with pytest.raises(InstrumentError, match="cannot be opened"):
        connect("NONSENSE::1::INSTR", 0.5)


class Failing:
    """An instrument that goes away at the given part, and answers nobody once it is closed."""

    def __init__(self, at):
        self.left, self.closed = at, False

    def configure(self, settings):
        assert not self.closed
        return settings

    def sweep(self):
        assert not self.closed
        self.left -= 1
        if self.left < 0:
            raise InstrumentError("It went away.")
        return np.full(125, -90.0)

    def close(self):
        self.closed = True


def one_after_another(*parts):
    """An instrument whose connections go away at these parts, and the connections that were made."""
    made, left = [], iter(parts)

    def connected():
        made.append(Failing(next(left)))
        return made[-1]

    return Reconnecting(connected), made


LONG = SweepSettings(start_hz=550_000_000, stop_hz=600_000_000, points=2_000, rbw_hz=30_000)


def test_a_link_that_breaks_is_taken_up_once_and_what_arrived_is_kept():
    def on(freq, level, share):
        return True

    whole = taking.take(one_after_another(4, 100)[0], LONG, on)
    assert (len(whole.sweep.freq_hz), whole.remark) == (2_000, "")
    partly = taking.take(one_after_another(4, 3)[0], LONG, on)
    assert len(partly.sweep.freq_hz) == 7 * 125
    assert "What had arrived was kept" in partly.remark
    with pytest.raises(InstrumentError):
        taking.take(one_after_another(0, 0)[0], LONG, on)
    with pytest.raises(InstrumentError):
        taking.take(Failing(0), LONG, on)


def test_every_connection_is_closed_and_none_is_asked_after_that():
    instrument, made = one_after_another(4, 20, 100)
    twice = taking.take_twice(instrument, LONG, lambda f, v, s: True)
    assert (len(twice.sweep.freq_hz), twice.remark) == (2_000, "")
    assert [m.closed for m in made] == [True, True, False]
    instrument.close()
    assert all(m.closed for m in made)


def test_what_an_instrument_cannot_do_is_said(instrument):
    taken = taking.take(
        instrument,
        SweepSettings(start_hz=50_000_000, stop_hz=600_000_000, points=2_001, rbw_hz=30_000),
        lambda f, v, s: True,
    )
    assert "begins at 100 MHz" in taken.remark
    assert taken.sweep.freq_hz[0] == 100_000_000


@pytest.fixture
def serial_line(analyser):
    """A pseudo-terminal with the stand-in at its other end."""
    host, port = "127.0.0.1", analyser.port
    ours, theirs = os.openpty()
    for end in (ours, theirs):
        tty.setraw(end)
    line = socket.create_connection((host, port))

    def down() -> None:
        with contextlib.suppress(OSError):
            while data := os.read(ours, 4096):
                line.sendall(data)

    def up() -> None:
        with contextlib.suppress(OSError):
            while data := line.recv(4096):
                os.write(ours, data)

    for run in (down, up):
        threading.Thread(target=run, daemon=True).start()
    yield f"ASRL{os.ttyname(theirs)}::INSTR"
    line.close()
    os.close(theirs)
    os.close(ours)


def test_a_serial_instrument_goes_through_the_same_code(serial_line):
    instrument = DialectInstrument.at(serial_line, timeout_s=5)
    assert "Stand-in" in instrument.identify()
    taken = taking.take(instrument, SETTINGS, lambda f, v, s: True)
    assert len(taken.sweep.freq_hz) == SETTINGS.points
    inside = (taken.sweep.freq_hz > 567e6) & (taken.sweep.freq_hz < 573e6)
    assert taken.sweep.level_dbm[inside].mean() > taken.sweep.level_dbm[~inside].mean() + 20
    instrument.close()


def test_a_serial_line_that_is_not_there_is_one_clear_error():
    with pytest.raises(InstrumentError, match="cannot be opened"):
        connect("ASRL/dev/ttyNOTHING::INSTR", 1)


def test_an_answer_that_drips_is_not_waited_for_longer_than_one_that_stays_away():
    dripping = threading.Event()

    def drip():
        connection, _ = server.accept()
        with connection, contextlib.suppress(OSError):
            for _ in range(100):
                if dripping.wait(0.05):
                    return
                connection.sendall(b"x")

    server = socket.create_server(("127.0.0.1", 0))
    threading.Thread(target=drip, daemon=True).start()
    line = connect(f"TCPIP0::127.0.0.1::{server.getsockname()[1]}::SOCKET", timeout_s=0.4)
    began = time.monotonic()
    with pytest.raises(InstrumentError, match="did not answer in time"):
        line.line()
    assert time.monotonic() - began < 5
    dripping.set()
    server.close()


def set_up(peer, answers, *more, timeout_s=0.5):
    """An instrument behind a peer that answers start, stop, RBW and points with these."""
    there = peer(b"", *(f"{a}\n".encode() for a in answers.split()), *more)
    return DialectInstrument.at(there.resource, timeout_s)


@pytest.mark.parametrize(
    "answers",
    ["nan 600e6 30000 101", "inf inf 30000 101", "-5e6 600e6 30000 101", "1e30 2e30 1e3 101", "500e6 600e6 1e-300 101",
     "500e6 600e6 30000 0", "500e6 600e6 30000 inf", "600e6 500e6 30000 101", "500e6 600e6 nan 101",
     "500e6 600e6 30000 1e12"],
)  # fmt: skip
def test_settings_that_no_analyser_has_are_refused_with_its_name(peer, answers):
    instrument = set_up(peer, answers)
    with pytest.raises(InstrumentError, match=r"The instrument at 127\.0\.0\.1:\d+ set itself to .* which is no sweep"):
        instrument.configure(SETTINGS)
    instrument.close()


@pytest.mark.parametrize("level", [np.nan, np.inf, -np.inf, 1e30, -1e30, 600.0])
def test_levels_that_are_none_are_refused_with_its_name(peer, level):
    levels = np.full(101, -90.0, ">f4")
    levels[50] = level
    block = b"#3" + str(levels.nbytes).encode() + levels.tobytes() + b"\n"
    instrument = set_up(peer, "500e6 600e6 30000 101", block)
    instrument.configure(replace(SETTINGS, points=101))
    with pytest.raises(InstrumentError, match=r"The instrument at 127\.0\.0\.1:\d+ sent readings that are no levels"):
        instrument.sweep()
    instrument.close()


def test_closing_from_another_thread_ends_a_sweep_at_once(peer):
    instrument = set_up(peer, "500e6 600e6 30000 101", b"", b"", timeout_s=30.0)
    instrument.configure(replace(SETTINGS, points=101))
    timer = threading.Timer(0.2, instrument.close)
    timer.start()
    started = time.monotonic()
    with pytest.raises(InstrumentError, match="closed the connection"):
        instrument.sweep()
    assert time.monotonic() - started < 1.0


class Patient:
    """A transport that answers at once and remembers how long it was allowed to take."""

    name = "patient"

    def __init__(self, settings):
        numbers = (settings.start_hz, settings.stop_hz, settings.rbw_hz, settings.points)
        self._answers = [*map(str, numbers)]
        self._points = settings.points
        self.allowed = []

    def send(self, line):
        self.sent = line

    def line(self):
        return self._answers.pop(0) if "?" in self.sent and self._answers else "1"

    def block(self):
        return np.full(self._points, -90.0, ">f4").tobytes()

    def wait(self, seconds):
        self.allowed.append(seconds)

    def close(self):
        pass


@pytest.mark.parametrize("timeout_s", [0.5, 5.0])
def test_a_sweep_may_take_four_times_what_its_filter_needs_and_the_time_out_on_top(timeout_s):
    slow = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=1_001, rbw_hz=3_000.0)
    line = Patient(slow)
    instrument = DialectInstrument(line, timeout_s)
    instrument.configure(slow)
    line.allowed.clear()
    instrument.sweep()
    assert line.allowed == [pytest.approx(timeout_s + 4 * sweep_time_s(224_000_000, 3_000.0)), timeout_s]


def test_a_silent_instrument_is_given_up_after_its_time_out():
    with socket.create_server(("127.0.0.1", 0)) as server:
        began = time.monotonic()
        with pytest.raises(InstrumentError, match=r"answer"):
            DialectInstrument.at(f"TCPIP0::127.0.0.1::{server.getsockname()[1]}::SOCKET", 0.3).identify()
        assert 0.25 < time.monotonic() - began < 4
