"""What a use case says when it cannot be done."""


class Refused(Exception):
    """The request makes no sense as things stand; the message is one sentence for people."""


class Stale(Refused):
    """What a change started from is not in force any more: somebody else changed it since."""


class Missing(Refused):
    """What was asked for does not exist."""
