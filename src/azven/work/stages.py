"""The stages of a day by name, in their order, with the titles people see."""

from typing import Literal

StageName = Literal["ground", "listen", "kit", "plan", "chain", "reach", "prove", "watch", "register"]
TITLES: dict[StageName, str] = {
    "ground": "Ground", "listen": "Listen", "kit": "Kit", "plan": "Plan", "chain": "Chain", "reach": "Reach",
    "prove": "Prove", "watch": "Watch", "register": "Register",
}  # fmt: skip
