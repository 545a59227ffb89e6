"""A drawing under the plan of the rooms: a PNG, put to scale by two points whose place is known."""

import math
from pathlib import Path

from azven.book.edits import Edit, add, remove
from azven.book.records import Backdrop
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.scope import Scope

Known = tuple[float, float, float, float]
"""A point of the drawing: pixels from the left and from the top, and its place x, y [m]."""
LARGEST_BYTES = 20_000_000
_PNG = b"\x89PNG\r\n\x1a\n"


def current(store: Store, scope: Scope) -> Backdrop | None:
    """The drawing of the site, None without one."""
    return next(iter(store.all(Backdrop, site_id=scope.site)), None)


def read(path: Path) -> bytes:
    """The bytes of a PNG; Refusal for anything else or more than 20 MB, OSError when it cannot be read."""
    if path.stat().st_size > LARGEST_BYTES:
        raise Refusal(f"{path.name} is larger than {LARGEST_BYTES // 1_000_000} MB.")
    data = path.read_bytes()
    if not data.startswith(_PNG):
        raise Refusal(f"{path.name} is not a PNG.")
    return data


def put(store: Store, scope: Scope, name: str, image: bytes, first: Known, second: Known) -> Edit:
    """Lay a drawing under the plan instead of the one that is there; Refusal when the points do not give a scale."""
    metres_per_pixel((first, second))
    site = ground.here(store, scope).site
    new = Backdrop(id=store.reserve(), site_id=site.id, name=name, image=image, points=(first, second))
    return Edit(f"Drawing {name}", remove(store.all(Backdrop, site_id=site.id)) + add(new))


def take_away(store: Store, scope: Scope) -> Edit:
    """No drawing any more."""
    return Edit("Take the drawing away", remove(store.all(Backdrop, site_id=scope.site)))


def metres_per_pixel(points: tuple[Known, ...]) -> float:
    """Scale of a drawing; Refusal when the two points are one, in the drawing or in the room."""
    (ax, ay, x1, y1), (bx, by, x2, y2) = points
    pixels, metres = math.hypot(bx - ax, by - ay), math.hypot(x2 - x1, y2 - y1)
    if pixels < 10:
        raise Refusal("The two points of the drawing lie on one another.")
    if metres < 0.1:
        raise Refusal("The two points have the same place in the room.")
    return metres / pixels


def place(points: tuple[Known, ...], px: float, py: float) -> tuple[float, float]:
    """Where a pixel of the drawing lies [m]: turned, scaled and moved so that both known points lie where they are.

    With complex numbers z = α·p + β, p = px − i·py as the pixels of a drawing are counted downwards.
    """
    (ax, ay, x1, y1), (bx, by, x2, y2) = points
    a, b = complex(ax, -ay), complex(bx, -by)
    start, end = complex(x1, y1), complex(x2, y2)
    turn = (end - start) / (b - a)
    z = start + turn * (complex(px, -py) - a)
    return z.real, z.imag
