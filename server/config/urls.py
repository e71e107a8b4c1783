"""Addresses: the API, and the interface for everything else."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from people import provider

from config.api import api
from config.watching import metrics


@never_cache
@ensure_csrf_cookie
def interface(_request: HttpRequest) -> HttpResponse:
    """The one page of the interface; it finds its place from the address."""
    page = settings.WEB_DIST / "index.html"
    if not page.is_file():
        return HttpResponse("The interface is not built yet: run `make demo`.", status=503, content_type="text/plain")
    return HttpResponse(page.read_bytes())


urlpatterns = [
    path("api/metrics", metrics),
    path("sign-in/begin", provider.begin),
    path("sign-in/back", provider.back),
    path("articles/", include("reports.pages")),
    path("api/", api.urls),
    re_path(r"^(?!api/|articles/|static/|assets/).*$", interface),
]
