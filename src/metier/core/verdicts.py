"""What a trial says in one word, why, and what to do about it."""

from typing import Literal, NamedTuple

VerdictName = Literal["keep", "correct", "unclear", "recheck"]


class Verdict(NamedTuple):
    """``keep``, ``correct``, ``unclear`` or ``recheck``, the reason, and what to do about it.

    ``remedies`` says what would settle an ``unclear`` or what to look at after a ``recheck``,
    likeliest or cheapest first; empty for the other two. A name in braces stands for a command.
    """

    name: VerdictName
    reason: str
    remedies: tuple[str, ...] = ()
