"""Diagnosis by its figures: on the public logs, and on made shows, a third of whose seeds are kept for judging only."""

import json
import runpy
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from azven.book.formats import status_log
from azven.rf.diagnose.record import Record
from azven.rf.diagnose.weigh import diagnose
from azven.work.diagnosing import document
from made_shows import made
from timing import least, row

LOGS = Path(__file__).parent / "logs"
LEARNT, JUDGED = range(1, 41), range(1_001, 1_021)
"""Seeds that rules may be looked at with, and seeds that only judge."""


def scored(pairs: Iterable[tuple[Record, dict[str, Any]]]) -> dict[str, Any]:
    """The score of the diagnoses of records with their truths."""
    told = [(truth, json.loads(json.dumps(document(diagnose(record)), default=float))) for record, truth in pairs]
    found: dict[str, Any] = runpy.run_path(str(LOGS / "score.py"))["score"](told)
    return found


def shows(seeds: Iterable[int]) -> Iterable[tuple[Record, dict[str, Any]]]:
    for seed in seeds:
        record, truth = made(seed)
        yield record, json.loads(json.dumps(truth, default=float))


def public() -> Iterable[tuple[Record, dict[str, Any]]]:
    for log in sorted(LOGS.glob("*.jsonl.gz")):
        truth = log.with_name(log.name.replace(".jsonl.gz", ".truth.json"))
        yield status_log.read(log), json.loads(truth.read_text("utf-8"))


def main(arguments: list[str]) -> None:
    for name, pairs in (
        ("public logs", public()), (f"made, seeds {LEARNT.start}–{LEARNT.stop - 1}", shows(LEARNT)),
        (f"made, judging seeds {JUDGED.start}–{JUDGED.stop - 1}", shows(JUDGED)),
    ):  # fmt: skip
        found = scored(pairs)
        whole = found["all"]
        recall, gap = whole["recall_mean_over_causes"], found["calibration"]["gap"]
        print(f"{name}: {whole['found']} of {whole['truth']} found, recall {recall}, precision {whole['precision']}, "
              f"detail {whole['detail']}, {found['false_alarms']} false alarms in {found['link_hours']} link-hours, "
              f"gap of sure {gap}")  # fmt: skip
    log = min(LOGS.glob("*.jsonl.gz"))
    bare = least(lambda: list(status_log.lines(log)), 3)
    row(
        "a log of 24 min and 28 links, beside reading its lines",
        least(lambda: diagnose(status_log.read(log)), 3),
        bare,
        "",
    )
