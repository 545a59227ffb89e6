"""Templates of what is printed, filled in."""

from importlib.resources import files
from typing import Any


def render(template: str, **values: Any) -> str:
    """The HTML of a template of `data`, with every value escaped."""
    from jinja2 import Environment  # half of what starting the window would cost

    text = (files("azven") / "data" / f"{template}.html").read_text("utf-8")
    return Environment(autoescape=True).from_string(text).render(**values)
