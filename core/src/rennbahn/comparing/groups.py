"""Which tests may be pooled (reading 16): those of one group, which has one intent, resolution and preset."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
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
