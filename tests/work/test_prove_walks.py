"""Walks as they are recorded, compared and surveyed."""

import numpy as np
import pytest

from azven.book.records import Zone
from azven.refusal import Refusal
from azven.work.prove import survey, walks
from azven.work.prove.need import Need

NEED = Need(-100.0, 20.0, "")


def recording(**more):
    return walks.Recording(Zone(id=1, site_id=1, name="Rope Hall"), (1,), begun_s=100.0, **more)


def told(levels, marks, hz=10.0):
    rows = [(i / hz, v, v - 3, 100.0, 80.0, 1.0) for i, v in enumerate(levels)]
    return walks.told(rows, marks, NEED)


def test_a_way_walked_evenly_has_its_corners_at_the_times_that_fit():
    walk = recording()
    walk.walked(130.0, [(0.0, 0.0), (10.0, 0.0), (10.0, 20.0)])
    assert [m[:3] for m in walk.marks] == [(0.0, 0.0, 0.0), (10.0, 10.0, 0.0), (30.0, 10.0, 20.0)]


def test_what_is_heard_belongs_to_the_place_told_last():
    walk = recording()
    with pytest.raises(Refusal):
        walk.say("good")
    assert walk.mark(101.0, 1.0, 2.0) == "a"
    assert walk.mark(102.0, 3.0, 4.0, "F") == "F"
    walk.say("some")
    walk.say("none")
    assert [m[3:] for m in walk.marks] == [("a", ""), ("F", "none")]


def test_letters_lie_inside_the_room_and_are_all_different():
    for high in ((60.0, 18.0), (18.0, 60.0), (10.0, 10.0)):
        places = walks.letters((0.0, 0.0), high)
        assert len({p[0] for p in places}) == len(places) == 12
        assert all(0 < x < high[0] and 0 < y < high[1] for _, x, y in places)


def test_two_walks_are_compared_place_by_place_whatever_the_pace():
    marks, slow = [(0.0, 0.0, 0.0, "a"), (10.0, 30.0, 0.0, "b")], [(0.0, 0.0, 0.0, "a"), (20.0, 30.0, 0.0, "b")]
    before, now = told(np.linspace(-40, -60, 101), marks), told(np.linspace(-46, -66, 201), slow)
    apart = walks.over_need(now) - walks.beside(now, before)
    assert np.allclose(apart, -6.0, atol=0.2)
    assert walks.compared(now, before) == "Than then: 6 dB weaker in the middle, as many dropouts."


def test_places_where_the_earlier_walk_did_not_come_by_are_not_compared():
    here = told(np.full(11, -40.0), [(0.0, 0.0, 0.0, "a"), (1.0, 10.0, 0.0, "b")])
    away = told(np.full(11, -40.0), [(0.0, 0.0, 50.0, "a"), (1.0, 10.0, 50.0, "b")])
    assert np.isnan(walks.beside(here, away)).all()
    assert walks.compared(here, away) == "The earlier walk did not come by here."
    unplaced = told(np.full(11, -40.0), [])
    assert np.isnan(walks.beside(here, unplaced)).all()


@pytest.mark.parametrize(("over", "word"), [(-0.1, "none"), (0.0, "some"), (5.9, "some"), (6.0, "good"), (20.0, "best"),
                                           (float("nan"), "")])  # fmt: skip
def test_the_map_speaks_the_words_of_the_survey(over, word):
    assert survey.mark_of(over) == word


def test_a_survey_says_first_where_it_is_worse_than_the_map():
    marks = [(0.0, 1.0, 1.0, "a", "best"), (1.0, 2.0, 1.0, "b", "none"), (2.0, 3.0, 1.0, "c", "")]
    found = survey.surveyed(marks, ["good", "good", "good"])
    assert [(s.letter, s.apart) for s in found] == [("a", -1), ("b", 2)]
    assert "worse than the map at b" in survey.verdict(found)
    unknown = survey.surveyed(marks, [])
    assert [s.reckoned for s in unknown] == ["", ""]
    assert "does not reach" in survey.verdict(unknown)
    assert survey.surveyed([(0.0, 1.0, 1.0, "a")], ["good"]) == []  # a mark of an older walk
