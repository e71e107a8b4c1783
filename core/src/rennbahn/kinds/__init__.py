"""Findings of every kind of study beside A against B: what its question is answered by (docs/kinds.md)."""

from rennbahn.kinds.answer import Answer, answer_of, tells_limits

__all__ = ["Answer", "answer_of", "tells_limits"]
