"""The one error of all readers, in a module that imports nothing."""


class FormatError(ValueError):
    """A document that cannot be used; the message is one line and names the place in it."""
