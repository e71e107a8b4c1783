"""What is answered: models without detours, and answers whose parts are plain already, written as JSON at once.

A list of thousands of passes is a fixed number of queries and one pass through the encoder. Tests hold what is answered
so against the schema that the API promises.
"""

from __future__ import annotations

from typing import Any

import orjson
from django.http import HttpResponse
from pydantic import BaseModel


class Out(BaseModel):
    """Part of an answer. The framework's own base asks every value as a database row first; none of ours is one."""

    def dict(self, **how: Any) -> dict[str, Any]:
        """The values by field, as plain data."""
        return self.model_dump(**how)


def json_answer(data: Any) -> HttpResponse:
    """Plain data (also dates) as a JSON answer; NaN is null."""
    return HttpResponse(orjson.dumps(data, option=orjson.OPT_NON_STR_KEYS), content_type="application/json")
