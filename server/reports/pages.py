"""Where published reports are read: without sign-in, as plain files, from the moment they open.

Before it, what an edition holds is there for whoever has the secret of its report, and for nobody else: a page that is
not open yet and one that there is not are answered alike.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import nullcontext
from datetime import datetime

import clock
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.http.response import HttpResponseBase
from django.urls import path
from django.utils.cache import get_conditional_response
from django.utils.feedgenerator import Atom1Feed
from django.utils.html import escape, format_html
from django.utils.http import quote_etag
from django.views.decorators.http import require_safe
from waiting import Busy, Turns

from reports.models import Edition, EditionFile, Report, ReportState

#: What moves on a page of an article (`reading.js` of the interface), by its hash. Pages that were frozen with another
#: one keep it: a hash is added, and none is ever taken away.
SCRIPTS = ("'sha256-ZaFA5Y6qRvN58xcISues5Dyrb0RQcqW2zlMbg+Neo8k='",)
#: What a page of an article may load and run: what stands in it, and of scripts ours alone.
POLICY = (
    f"default-src 'none'; script-src {' '.join(SCRIPTS)}; style-src 'unsafe-inline'; "
    "img-src data:; font-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
#: Where a page says what became of it since it was frozen.
STANDING = b"<!--standing-->"
#: Where a page says at which address its picture is reached: in its head, once. No text holds its quotes.
_ORIGIN = b'property="og:image" content="@origin@'
_PAGE = "index.html"
_ZIP = "application/zip"
_MOST_IN_FEED = 50
_packages = Turns("Others are taking data packages along", 2)


@require_safe
def article(request: HttpRequest, slug: str, number: int | None = None, name: str = _PAGE) -> HttpResponseBase:
    """A file of an article, of its newest open edition where none is named."""
    report = Report.all_reports.filter(slug=slug).first()
    return _answer(request, report, number, name, lambda one: one.opens_at <= clock.now())


@require_safe
def early(request: HttpRequest, secret: str, number: int | None = None, name: str = _PAGE) -> HttpResponseBase:
    """The same before it opens, for whoever has its secret; from then on its own address."""
    report = Report.all_reports.filter(secret=secret.replace("\0", "")).first()
    if report is not None and name == _PAGE and number is None:
        last = report.editions.last()
        if last is not None and last.opens_at <= clock.now():
            return HttpResponseRedirect(f"/articles/{report.slug}/")
    return _answer(request, report, number, name, lambda _: True, private=True)


@require_safe
def feed(request: HttpRequest) -> HttpResponse:
    """The editions that are open, newest first, as Atom."""
    root = f"{request.scheme}://{request.get_host()}"
    found = Atom1Feed(title="Rennbahn", link=f"{root}/", description="", feed_url=f"{root}/articles/feed.xml")
    editions = Edition.objects.filter(opens_at__lte=clock.now()).select_related("report", "by").defer("says")
    for one in editions.order_by("-opens_at", "-pk")[:_MOST_IN_FEED]:
        told = _erratum_words(one) if one.number > 1 else one.summary
        if one.report.state == ReportState.WITHDRAWN:
            told = f"Withdrawn: {one.report.withdrawn_why}"
        address = f"{root}/articles/{one.report.slug}/{one.number}/"
        title = one.title if one.number == 1 else f"{one.title} (corrected, edition {one.number})"
        found.add_item(
            title=title, link=address, description=told, unique_id=address, pubdate=one.opens_at,
            updateddate=one.opens_at, author_name=one.by.get_username(),
        )  # fmt: skip
    answer = HttpResponse(found.writeString("utf-8"), content_type="application/atom+xml; charset=utf-8")
    answer.headers["Content-Security-Policy"] = POLICY
    return answer


def _answer(
    request: HttpRequest,
    report: Report | None,
    number: int | None,
    name: str,
    may: Callable[[Edition], bool],
    *,
    private: bool = False,
) -> HttpResponseBase:
    if "\0" in name:
        raise Http404
    editions = [one for one in report.editions.defer("says", "erratum") if may(one)] if report is not None else []
    edition = next((one for one in reversed(editions) if number in (None, one.number)), None)
    file = EditionFile.objects.filter(edition=edition, name=name).defer("content").first() if edition else None
    if report is None or edition is None or file is None:
        raise Http404
    page = file.media_type.startswith("text/html")
    standing = _standing(report, edition, editions[-1]) if page else None
    origin = f"{request.scheme}://{request.get_host()}"
    etag = quote_etag(hashlib.sha256(f"{file.sha256} {standing} {origin}".encode()).hexdigest())
    held = get_conditional_response(request, etag=etag)
    answer = held or _sent(file, standing, origin)
    answer.headers["ETag"] = etag
    answer.headers["Content-Security-Policy"] = POLICY
    # A correction is read at once: what a reader has is asked about each time, and not sent again if it holds.
    answer.headers["Cache-Control"] = "private, no-store" if private else "public, no-cache"
    answer.headers["X-Robots-Tag"] = "noindex" if private else "all"
    if private:
        # Nobody whom the page links to is told its address.
        answer.headers["Referrer-Policy"] = "no-referrer"
    if file.media_type == _ZIP:
        answer.headers["Content-Disposition"] = f'attachment; filename="{report.slug}-{edition.number}-{file.name}"'
    return answer


def _sent(file: EditionFile, standing: str | None, origin: str) -> HttpResponseBase:
    """A file as it was frozen, with what became of it since."""
    # A package is as large as the captures of a study: nobody who asks often fills the memory with them.
    try:
        with _packages.turn() if file.media_type == _ZIP else nullcontext():
            content = file.held()
    except Busy as busy:
        return HttpResponse(f"{busy.message} {busy.hint}", status=503, headers={"Retry-After": "20"})
    told = content
    if standing is not None:
        at = _ORIGIN.replace(b"@origin@", escape(origin).encode())
        told = content.replace(_ORIGIN, at, 1).replace(STANDING, standing.encode())
    return HttpResponse(told, content_type=file.media_type)


def _standing(report: Report, edition: Edition, last: Edition) -> str:
    """What became of an edition since it was frozen, to be read first."""
    if report.state == ReportState.WITHDRAWN and report.withdrawn_at is not None:
        return _said("Withdrawn on {}. {}", _day(report.withdrawn_at), report.withdrawn_why)
    if last.number > edition.number:
        return format_html(
            '<p class="standing"><strong>This is edition {}.</strong> It was corrected on {}: '
            '<a href="/articles/{}/">read it as it is now</a>.</p>',
            edition.number, _day(last.at), report.slug,
        )  # fmt: skip
    if edition.opens_at > clock.now():
        return _said("Not open before {} UTC.", f"{edition.opens_at:%-d %B %Y, %H:%M}")
    return ""


def _said(words: str, *of: str) -> str:
    return format_html('<p class="standing"><strong>{}</strong></p>', words.format(*of))


def _erratum_words(edition: Edition) -> str:
    lines = [f"{one['of']}: {one['after'] or 'said no more'} (was {one['before']})" for one in edition.erratum]
    return " ".join([f"{edition.why.rstrip('.')}.", *(f"{line.rstrip('.')}." for line in lines)])


def _day(moment: datetime) -> str:
    return f"{moment:%-d %B %Y}"


urlpatterns = [
    path("feed.xml", feed),
    path("early/<str:secret>/", early),
    path("early/<str:secret>/<int:number>/", early),
    path("early/<str:secret>/<int:number>/<str:name>", early),
    path("early/<str:secret>/<str:name>", early),
    path("<slug:slug>/", article),
    path("<slug:slug>/<int:number>/", article),
    path("<slug:slug>/<int:number>/<str:name>", article),
    path("<slug:slug>/<str:name>", article),
]
