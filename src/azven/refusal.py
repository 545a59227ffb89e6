"""What the user may be told: anything else that is raised is a fault of ours."""


class Refusal(ValueError):  # noqa: N818 - it is no error of ours
    """Something cannot be done as asked. The message is for the user: it names the value, and what is demanded.

    Also a ValueError, since most of what is refused is a value that makes no sense.
    """
