"""Who is heard where nothing should be: named by what is on, by products of it, by who is known there."""

from azven.book.records import Link, Neighbour, Occupant
from azven.work.prove.suspects import OnAir, suspects


def on(number, mhz):
    return OnAir(
        Link(id=number, show_id=1, zone_id=1, model_id=1, band="", name=f"Lamp Choir {number}"), round(mhz * 1e6)
    )


def test_the_nearest_is_named_first_and_what_is_far_is_not_named():
    heard = [on(1, 500.1), on(2, 500.0), on(3, 502.0)]
    named = suspects(500_000_000, heard, [])
    assert named[0] == "Lamp Choir 2 on 500.000"
    assert "Lamp Choir 1 on 500.100" in named
    assert suspects(510_000_000, heard, []) == []


def test_a_product_is_as_wide_as_its_carriers():
    heard = [on(1, 518.025), on(2, 519.025)]
    (named,) = suspects(520_225_000, heard, [])  # 2a − b falls on 520.025
    assert "Lamp Choir 2 and Lamp Choir 1" in named
    assert suspects(520_325_000, heard, []) == []


def test_three_that_are_on_and_strangers_that_are_known_are_named():
    three = suspects(503_000_000, [on(1, 500.0), on(2, 504.0), on(3, 501.0)], [])
    assert any("Lamp Choir 1, Lamp Choir 2 and Lamp Choir 3" in said for said in three)
    known = suspects(
        5_510_000_000, [], [Neighbour(site_id=1, name="Quay camera", freq_hz=5_510_100_000)],
        [Occupant(site_id=1, name="Office network", centre_hz=5_500_000_000, width_hz=20_000_000),
         Occupant(site_id=1, name="Far network", centre_hz=5_600_000_000, width_hz=20_000_000)],
    )  # fmt: skip
    assert [k.split(" about ")[0].split(" on ")[0] for k in known] == ["Office network", "Quay camera"]
