"""The command line: the window, and the same work without one."""

import json
import os
import sys
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, TypeVar

import click

from azven import __version__
from azven.book.place import Place, place
from azven.refusal import Refusal
from azven.terminal import give, progress_line, refuse, until_stopped
from azven.work.stages import TITLES

if TYPE_CHECKING:
    from azven.book.engines.rights import Right

UNREACHED = 3
T = TypeVar("T")


@click.group(invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.option("--demo", is_flag=True, help="Open a fresh copy of the demonstration book.")
@click.option(
    "--book", metavar="BOOK", help="Open this book, a file or a postgresql:// URL; made when it is missing or empty."
)
@click.option("--stage", type=click.Choice(tuple(TITLES)), help="Open on this stage.")
@click.option("--theme", type=click.Choice(("daylight", "backstage")), help="Colours to open with.")
@click.option(
    "--shot", type=click.Path(path_type=Path), help="Write a picture of the window once it is quiet, and leave."
)
@click.version_option(__version__, prog_name="azven")
@click.pass_context
def main(
    context: click.Context, demo: bool, book: str | None, stage: str | None, theme: str | None, shot: Path | None
) -> None:
    """Azven: radio frequency coordination for live events."""
    if context.invoked_subcommand is None:
        from azven.desk.app import run

        sys.exit(run(demo, _place(book) if book else None, stage or ("plan" if demo else "ground"), theme, shot))


@main.group("book")
def books() -> None:
    """Books as a whole."""


@books.command("copy")
@click.argument("source", metavar="FROM")
@click.argument("target", metavar="TO")
def copy_book(source: str, target: str) -> None:
    """Copy the book FROM one place TO another, files or postgresql:// URLs, with its history, and compare every record.

    TO must not exist yet, or be an empty database.
    """
    from azven.book import copying
    from azven.book.store import Store

    there, here = _place(target), _place(source)
    try:
        store = _with_password(here, Store.open)
        try:
            count = _with_password(there, lambda place: copying.copy(store, place, progress_line("copied")))
        finally:
            store.close()
    except Refusal as refusal:
        refuse("", str(refusal))
    click.echo(f"{count} records copied and compared.")


@books.command("rights")
@click.argument("book")
@click.argument("role")
@click.argument("right", type=click.Choice(["read", "campus", "all"]))
@click.option("--site", "names", multiple=True, help="A campus that the role writes for; may be given several times.")
def rights(book: str, role: str, right: "Right", names: tuple[str, ...]) -> None:
    """Give a ROLE of the server rights on a BOOK there (postgresql://…, opened as its owner): to read it, to write what
    belongs to some campuses, or to write all of it."""
    from azven.work.desks import giving

    try:
        click.echo(_with_password(_place(book), lambda place: giving.rights(place, role, right, names)))
    except Refusal as refusal:
        refuse("", str(refusal))


@main.command()
@click.argument("book")
@click.option("--csv", "as_csv", is_flag=True, help="Print the kit list as CSV, which Kit takes in again.")
def kit(book: str, as_csv: bool) -> None:
    """Print the units of BOOK, a file or a postgresql:// URL: those of the show that it opens with."""
    from azven.book.store import Store
    from azven.work import kit as gear
    from azven.work.kit import lists
    from azven.work.scope import opening

    try:
        store = _with_password(_place(book), Store.open)
        try:
            scope = opening(store)
            text = lists.write(store, scope) if as_csv else "\n".join(u.name for u in gear.units(store, scope)) + "\n"
        finally:
            store.close()
    except Refusal as refusal:
        refuse("", str(refusal))
    click.echo(text, nl=False)


@main.command()
@click.argument("book")
@click.option("--at", metavar="SITE", help="Units that are at this site.")
@click.option("--state", metavar="STATE", help="Units in this state: in case, assigned, on loan, in repair, missing …")
@click.option("--csv", "as_csv", is_flag=True, help="Print it as CSV, one row a unit.")
def register(book: str, at: str | None, state: str | None, as_csv: bool) -> None:
    """Print the units of BOOK, a file or a postgresql:// URL: where each is, in which state, who has it."""
    from azven.book.store import Store
    from azven.work.register import lists

    try:
        store = _with_password(_place(book), Store.open)
        try:
            asked, now = lists.question(store, at, state), datetime.now(UTC)
            text = lists.csv_text(store, asked, now) if as_csv else lists.text(store, asked, now)
        finally:
            store.close()
    except Refusal as refusal:
        refuse("", str(refusal))
    click.echo(text, nl=False)


def _place(text: str) -> Place:
    try:
        return place(text)
    except Refusal as refusal:
        refuse(text.split(":")[0], str(refusal))


def _with_password(where: Place, make: Callable[[Place], T]) -> T:
    """What `make` makes of a place; a password is asked for where there is somebody to ask."""
    from azven.work.books import let_in

    def ask(why: str) -> str | None:
        if not sys.stdin.isatty():
            return None
        given: str = click.prompt(f"{why}\nPassword", hide_input=True, err=True)
        return given

    return let_in(where, make, ask)


@main.command()
@click.argument("request", type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="Write the plan here instead of to standard output."
)
def plan(request: Path, output: Path | None) -> None:
    """Compute a plan for REQUEST (azven-plan-request 1 or 2); it is answered in the same version."""
    from azven.book.formats import plan as plan_format
    from azven.book.formats import plan_request
    from azven.book.formats.errors import FormatError
    from azven.book.formats.reading import read_json
    from azven.rf import whole

    try:
        data = read_json(request)
        wanted = plan_request.read_whole(data)
    except FormatError as error:
        refuse(request, str(error))
    started = time.monotonic()
    found = whole.plan(wanted, progress_line(), lambda: time.monotonic() - started)
    give(plan_format.write_whole(found, wanted, data["version"]), output)


@main.command()
@click.argument("request", type=click.Path(path_type=Path))
@click.argument("answer", metavar="PLAN", type=click.Path(path_type=Path))
def check(request: Path, answer: Path) -> None:
    """Check PLAN against REQUEST. Exit 0: no conflict; 1: conflicts, one a line; 2: unusable input."""
    from azven.book.formats import plan as plan_format
    from azven.book.formats import plan_request
    from azven.book.formats.errors import FormatError
    from azven.book.formats.reading import read_json
    from azven.rf import whole

    try:
        wanted = plan_request.read_whole(read_json(request))
    except FormatError as error:
        refuse(request, str(error))
    try:
        frequencies = plan_format.read(read_json(answer))
    except FormatError as error:
        refuse(answer, str(error))
    broken = whole.faults(wanted, frequencies)
    for line in broken:
        click.echo(" ".join(line.split()))
    sys.exit(1 if broken else 0)


@main.command()
@click.argument("design", type=click.Path(path_type=Path))
@click.option("--set-gains", is_flag=True, help="Write the design with its gains set, and say what changed and why.")
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="Write the answer here instead of to standard output."
)
def chain(design: Path, set_gains: bool, output: Path | None) -> None:
    """Print what follows from DESIGN (azven-chain 1) as JSON."""
    from azven.book.formats import chain as chain_format
    from azven.book.formats.errors import FormatError
    from azven.book.formats.reading import read_json
    from azven.rf.chain.design import solve_design
    from azven.rf.chain.outgoing import as_json
    from azven.work.chain import gains_set_in

    said: list[str] = []
    try:
        data = read_json(design)
        if set_gains:
            answer, said = gains_set_in(data)
        else:
            found = chain_format.read(data)
            answer = as_json(found, solve_design(found))
    except (FormatError, ValueError) as error:
        refuse(design, str(error))
    give(answer, output)
    for line in said:
        click.echo(line, err=True)


@main.command()
@click.argument("files", type=click.Path(path_type=Path), nargs=-1, required=True)
@click.option("--region", default="europe-8mhz", show_default=True, help="Key of a shipped region, or a region file.")
@click.option("--rbw", type=float, help="Resolution bandwidth [Hz], where a file does not say.")
@click.option("--detector", type=click.Choice(("average", "peak")), help="Detector, where a file does not say.")
@click.option("--json", "as_document", is_flag=True, help="Print azven-sweep-judgement 1 instead of text.")
def sweep(
    files: tuple[Path, ...], region: str, rbw: float | None, detector: Literal["average", "peak"] | None,
    as_document: bool,
) -> None:  # fmt: skip
    """Judge sweep FILES of one place as Listen does: every raster channel for each use, and every emission."""
    from azven.book.formats.errors import FormatError
    from azven.work.listen import judgement

    at = Path(region)
    try:
        channels = judgement.raster(region)
        sweeps = []
        for at in files:
            sweeps.append(judgement.read_sweep(at, rbw, detector))
    except FormatError as error:
        refuse(at, str(error))
    found = judgement.judged(sweeps, channels)
    if as_document:
        give(judgement.document(found), None)
    else:
        click.echo("\n".join(judgement.in_words(found)))


@main.command()
@click.argument("cases", type=click.Path(path_type=Path), required=False)
@click.option("--kinds", is_flag=True, help="List the kinds of calculations, a line each.")
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), help="Write the results here instead of to standard output."
)
def calc(cases: Path | None, kinds: bool, output: Path | None) -> None:
    """Calculate the CASES of a file ({"cases": [{"id", "kind", "input"}]}) and print azven-results 1.

    A case that cannot be calculated has its error; the others are answered.
    """
    from azven.book.formats.errors import FormatError
    from azven.book.formats.reading import read_json
    from azven.work import calc as calculations

    if kinds:
        for name, kind in calculations.KINDS.items():
            click.echo(f"{name:18} {kind.about}")
    if cases is None:
        sys.exit(0 if kinds else refuse("CASES", "a file with cases is needed, or --kinds"))
    try:
        results = calculations.answer(read_json(cases))
    except FormatError as error:
        refuse(cases, str(error))
    give(results, output)


@main.command()
@click.argument("log", type=click.Path(path_type=Path))
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Write the diagnosis here.")
def diagnose(log: Path, output: Path | None) -> None:
    """Say what went wrong in a LOG (azven-status-log 1, plain or gzip) and why; prints azven-diagnosis 1."""
    from azven.work import diagnosing

    try:
        found, damaged = diagnosing.of_log(log)
    except Refusal as refusal:
        refuse("", str(refusal))
    if damaged:
        click.echo(
            f"{log.name}: {damaged} damaged line{'s' if damaged != 1 else ''} left out, the rest was read.", err=True
        )
    give(diagnosing.document(found), output)


@main.command()
@click.argument("book")
@click.option(
    "--show", metavar="NAME", help="The show of this name, or with this number; else that the book opens with."
)
@click.option("--seed", type=click.IntRange(0), default=1, show_default=True, help="The first seed; runs count on.")
@click.option(
    "--runs", type=click.IntRange(1, 1_000), default=10, show_default=True, help="How often each act is played."
)
@click.option(
    "--beside", metavar="NAME", help="Rehearse it beside, with the same seeds: another plan, placement, gains."
)
@click.option("--variants", is_flag=True, help="Print what can be rehearsed beside it, a line each, and nothing more.")
@click.option("--helps", is_flag=True, help="Try what Plan, Chain and Reach offer against the three worst incidents.")
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Write the rehearsal here.")
def rehearse(
    book: str, show: str | None, seed: int, runs: int, beside: str | None, variants: bool, helps: bool,
    output: Path | None,
) -> None:  # fmt: skip
    """Play the acts of a show of BOOK, a file or a postgresql:// URL, in simulation; prints azven-rehearsal 1.

    With --beside the answer holds the other rehearsal as "beside", with --helps what was tried as "helps". Ctrl+C stops
    it; what was played until then is written.
    """
    from azven.book.store import Store
    from azven.work.rehearse import asked

    over, line = until_stopped(), progress_line("of the rehearsal")
    try:
        store = _with_password(_place(book), Store.open)
        try:
            if variants:
                click.echo("".join(f"{title}\n" for title in asked.variants(store, show)), nl=False)
                return
            told = asked.rehearsed(store, show, range(seed, seed + runs), beside, helps,
                                   lambda a, b: line(a, b) and not over.is_set())  # fmt: skip
        finally:
            store.close()
    except Refusal as refusal:
        refuse("", str(refusal))
    for said in told["unknown"]:
        click.echo(f"Not known: {said}", err=True)
    give(told, output)


@main.command()
@click.argument("racks", metavar="RACK…", nargs=-1, required=True)
@click.option("--for", "for_s", type=click.FloatRange(0, min_open=True), metavar="SECONDS", help="Stop after so long.")
@click.option("--log", type=click.Path(path_type=Path), help="Keep all status and events here (azven-status-log 1).")
@click.option("--json", "as_json", is_flag=True, help="Print JSON lines instead of text.")
def watch(racks: tuple[str, ...], for_s: float | None, log: Path | None, as_json: bool) -> None:
    """Watch RACKs (rack://host:port, rack+tls://host:port) and print what happens to them, until Ctrl+C.

    A rack that wants a token gets the one in AZVEN_RACK_TOKEN. Exit 0; 3 when no rack was reached.
    """
    from azven.gear.racks.adapters import schemes
    from azven.gear.racks.address import address
    from azven.work.watch import watching

    def tell(t: float, event: Mapping[str, Any]) -> None:
        line = json.dumps({"t": t, "event": event}, ensure_ascii=False) if as_json else watching.in_words(event)
        with suppress(OSError):  # whoever read along is gone; the log goes on
            click.echo(line if as_json else f"{t:9.1f} s  {line}")

    over = until_stopped()
    try:
        wanted = [address(text, schemes()) for text in racks]
        reached = watching.watch(wanted, tell, over, for_s, log, os.environ.get("AZVEN_RACK_TOKEN") or None)
    except Refusal as refusal:
        refuse("", str(refusal))
    sys.exit(0 if reached else UNREACHED)


@main.command()
@click.option("--port", type=click.IntRange(1, 65_000), help="First port; any free ones without it.")
@click.option(
    "--script", type=click.Path(exists=True, dir_okay=False, allow_dash=True),
    help="What goes wrong and when: a JSON object a line; - reads as it comes.",
)  # fmt: skip
def racks(port: int | None, script: str | None) -> None:
    """Start the demonstration's stand-in racks on loopback ports and print their addresses, until Ctrl+C.

    A line of a script: {"at": 5, "rack": "r-0401", "fault": "silence", "for": 4}; "channel" for gear.
    """
    import tempfile

    from azven.work import demo, demo_story, faults
    from azven.work.scope import opening
    from azven.work.simulated_racks import SimulatedRacks

    try:
        planned = faults.script(script)
    except Refusal as refusal:
        refuse("", str(refusal))
    over = until_stopped()
    with tempfile.TemporaryDirectory(prefix="azven-racks-") as folder:
        store = demo.build(Path(folder))
        try:
            there = SimulatedRacks(store, opening(store), demo_story.venue(), demo.script()["rack_faults"])
        finally:
            store.close()
    try:
        there.start(port or 0)
    except OSError as error:
        refuse("", f"The racks cannot be started from port {port} on ({error.strerror}).")
    for server in there.house.servers:
        click.echo(f"{server.address}  {server.rack.id}  {server.rack.rack['name']}")
    sys.stdout.flush()
    faults.follow(there, planned, over)
    over.wait()
    there.stop()
