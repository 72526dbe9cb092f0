"""Commands that Metier proposes, written so that a shell takes them as they stand."""

_SAFE = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./=:@%+,")


def proposed(*words: str) -> str:
    """Return ``metier`` with these words, each quoted where a shell would misread it.

    >>> proposed("bench", "--spool", "sea green"), proposed("next")
    ("metier bench --spool 'sea green'", 'metier next')
    """
    return " ".join(["metier", *(_quoted(word) for word in words)])


def _quoted(word: str) -> str:
    if word and _SAFE.issuperset(word):
        return word
    import shlex

    return shlex.quote(word)
