"""Marks of what a page shows of a study: who saves sends back the one they saw."""

from __future__ import annotations

from collections.abc import Sequence

from page_marks import mark_of

from studies.models import Study, Test
from studies.schemas import Method


def question_mark(study: Study) -> str:
    """A mark of what a study asks."""
    return mark_of([study.question, study.factor, study.second_factor])


def method_mark(study: Study) -> str:
    """A mark of how a study answers."""
    return mark_of([getattr(study, name) for name in Method.model_fields])


def tests_mark(tests: Sequence[Test]) -> str:
    """A mark of the tests of a study, with their order, passes and priorities."""
    return mark_of([[t.pk, t.scene_id, t.condition_id, t.priority, t.passes_wanted] for t in tests])
