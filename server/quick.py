"""Answers whose parts are plain already: written as JSON at once, without a check of each value.

A list of thousands of passes is a fixed number of queries and one pass through the encoder. Tests hold what is answered
so against the schema that the API promises.
"""

from __future__ import annotations

from typing import Any

import orjson
from django.http import HttpResponse


def json_answer(data: Any) -> HttpResponse:
    """Plain data (also dates) as a JSON answer; NaN is null."""
    return HttpResponse(orjson.dumps(data, option=orjson.OPT_NON_STR_KEYS), content_type="application/json")
