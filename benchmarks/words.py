"""All words that people copy, each once: to be read aloud."""

from __future__ import annotations

from trials.corpus import corpus

STUDIES = 40


def main() -> None:
    """Print every sentence under where it stands."""
    found = corpus(STUDIES, seed=7)
    for where in sorted(found):
        print(f"\n{where}")
        for text in found[where]:
            print(f"  {text}")
    print(f"\n{sum(map(len, found.values()))} sentences that differ in more than names and numbers")


if __name__ == "__main__":
    main()
