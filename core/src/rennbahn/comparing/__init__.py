"""From passes to a result: cells, noise, margins, suites, agreement (docs/measures.md, sections 5 and 6)."""

from rennbahn.comparing.model import CELL_SCHOOLS, SUITE_SCHOOLS, Lane, Method, Pass, Scene, Study, Test
from rennbahn.comparing.study import Block, StudyResult, compare_study

__all__ = [
    "CELL_SCHOOLS",
    "SUITE_SCHOOLS",
    "Block",
    "Lane",
    "Method",
    "Pass",
    "Scene",
    "Study",
    "StudyResult",
    "Test",
    "compare_study",
]
