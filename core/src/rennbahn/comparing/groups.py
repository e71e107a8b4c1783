"""Which tests may be pooled (reading 16): those of one group, which has one intent, resolution and preset."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Condition:
    """What of a condition decides its group: why it was chosen, its resolution and preset as typed; and its name."""

    intent: str
    resolution: str
    preset: str
    name: str = ""

    @property
    def group(self) -> str:
        """The key of its group."""
        return "|".join((self.intent, self.resolution, self.preset))


def group_names(conditions: Iterable[Condition]) -> dict[str, str]:
    """Groups of conditions by key, in their order, each as a reader calls it.

    Where two would read alike, or the groups have several intents, each says why it was chosen.

    >>> group_names([Condition("typical", "2560 x 1440", "high"), Condition("typical", "", "", "as found")])
    {'typical|2560 x 1440|high': '2560 x 1440, high', 'typical||': 'as found'}
    >>> list(group_names([Condition("typical", "1440", "high"), Condition("expose", "1440", "high")]).values())
    ['1440, high (typical)', '1440, high (expose)']
    """
    first: dict[str, Condition] = {}
    for one in conditions:
        first.setdefault(one.group, one)
    words = {key: ", ".join(filter(None, (one.resolution, one.preset))) or one.name for key, one in first.items()}
    alike, intents = Counter(words.values()), {one.intent for one in first.values()}
    return {
        key: f"{words[key]} ({one.intent})" if alike[words[key]] > 1 or len(intents) > 1 else words[key]
        for key, one in first.items()
    }


def asked_group(groups: Mapping[str, str], *told: str) -> str | None:
    """The group that a text is about, by key: the first text that names one decides; None where none does.

    A group is named by the numbers of its resolution and by the words of its preset.

    >>> groups = {"a": "2560 x 1440, high", "b": "3840 x 2160, ultra"}
    >>> asked_group(groups, "Which card holds 60 at 2160?"), asked_group(groups, "Ultra, or not?", "2560 x 1440")
    ('b', 'b')
    >>> asked_group(groups, "Is it faster?")
    """
    for text in told:
        said = _named(text)
        hits = {key: len(said & _named(words)) for key, words in groups.items()}
        most = max(hits.values(), default=0)
        if most:
            return next(key for key, count in hits.items() if count == most)
    return None


#: Fewer digits are no lines of a resolution, fewer letters no preset.
_NAMED = re.compile(r"\d{3,}|[^\W\d_]{4,}")


def _named(text: str) -> set[str]:
    return set(_NAMED.findall(text.casefold()))
