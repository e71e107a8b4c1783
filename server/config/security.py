"""What a page of ours may load: our own files and nothing else."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponseBase

# Styles may stand inline, since charts place their marks with them; scripts may not.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self' data:; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; "
    "form-action 'self'"
)
#: The API's reference page starts itself from an inline script.
DOCS_POLICY = POLICY.replace("script-src 'self'", "script-src 'self' 'unsafe-inline'")


class ContentPolicyMiddleware:
    """Adds the content security policy to every answer."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer with the policy."""
        response = self.get_response(request)
        # What a page of its own allows itself is stricter.
        response.headers.setdefault("Content-Security-Policy", DOCS_POLICY if request.path == "/api/docs" else POLICY)
        return response
