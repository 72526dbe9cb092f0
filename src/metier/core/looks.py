"""How a print looks, in words: a witness beside the numbers, which never moves one of them."""

from collections.abc import Sequence

from metier.core.next_step import Symptom
from metier.core.verdicts import VerdictName

# A word and what it means on a print.
LOOKS = {
    "gaps": "gaps on top",
    "ridges": "ridges on top",
    "dull": "a dull surface",
    "strings": "strings",
    "weak": "it comes apart",
}
# The symptoms that each may be told as.
SEEN_AS: dict[str, tuple[Symptom, ...]] = {
    "gaps": ("gaps",),
    "ridges": ("ripples", "blobs"),
    "dull": ("dull", "rough"),
    "strings": ("strings",),
    "weak": ("weak-layers",),
}
_SAID = "looked at: "


def said_of_looks(looks: Sequence[str]) -> str:
    """Return what is kept of how a print looks.

    >>> said_of_looks(["dull", "weak"])
    'looked at: a dull surface, it comes apart'
    """
    return _SAID + ", ".join(LOOKS[look] for look in LOOKS if look in looks)


def looks_in(remarks: Sequence[str]) -> list[str]:
    """Return how a print was said to look, out of what is kept with it.

    >>> looks_in(["as planned", "looked at: gaps on top, strings"])
    ['gaps', 'strings']
    """
    said = [remark.removeprefix(_SAID) for remark in remarks if remark.startswith(_SAID)]
    words = {word for text in said for word in text.split(", ")}
    return [look for look, text in LOOKS.items() if text in words]


def contradicted(test: str, verdict: VerdictName, looks: Sequence[str]) -> str:
    """Return what looks and the verdict say against each other, and what would tell; or nothing.

    >>> contradicted("flow", "keep", ["gaps"])[:46]
    'its walls say keep and its top has gaps: weigh'
    """
    if test == "flow" and verdict == "keep" and "gaps" in looks:
        return "its walls say keep and its top has gaps: weigh a print (metier weigh) to be sure"
    if test == "flow" and verdict == "keep" and "ridges" in looks:
        return "its walls say keep and its top has ridges: weigh a print (metier weigh) to be sure"
    if "dull" in looks and "weak" in looks:
        return "dull and weak: it melts too little; print slower, or hotter (metier heat)"
    if test == "proof" and verdict == "keep" and "weak" in looks:
        return "its walls are right and it comes apart: hotter, or slower (metier heat)"
    if test == "volumetric" and verdict == "keep" and "gaps" in looks:
        return "the limit is kept and there are gaps: read the ramp once more, from below"
    return ""
