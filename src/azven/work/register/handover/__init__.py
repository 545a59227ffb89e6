"""What the next engineer gets: a package of a site and a show written, and one taken over into another book."""

from azven.work.register.handover.against import Line
from azven.work.register.handover.taking import Takeover, preview
from azven.work.register.handover.writing import Written, key_of, with_key, write

__all__ = ["Line", "Takeover", "Written", "key_of", "preview", "with_key", "write"]
