"""Reports: ready ones, kept ones, and new ones."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.signed_in import account_of
from stepladder.records.frames import plain_frame
from stepladder.refusals import Refusal
from stepladder.reports import actions, file_making
from stepladder.reports.blocks import about_sheet
from stepladder.reports.drawing import drawing_of, left_out
from stepladder.reports.files import file_name
from stepladder.reports.forms import KeepForm, SendForm, readers
from stepladder.reports.index import address_of
from stepladder.reports.models import KeptReport, Place, ReportFile
from stepladder.reports.pages import ReportPage, report_page, totals
from stepladder.reports.ready import READY, ready_named
from stepladder.reports.running import run
from stepladder.reports.sentences import Sentence
from stepladder.reports.working import to_work_out
from stepladder.web import toasts
from stepladder.web.once import act_once


def every(request: HttpRequest) -> HttpResponse:
    """All ready reports, and those that one keeps."""
    rows = policy.visible(request.user, "read reports", KeptReport.objects.select_related("owner"))
    context = {
        "ready": [(report, address_of(report)) for report in READY],
        "kept": rows.order_by("name", "pk"),
        **plain_frame(request),
    }
    return render(request, "reports/all.html", context)


def new(request: HttpRequest) -> HttpResponseBase:
    """A report from nothing: its sentence is what one changes."""
    sentence = Sentence.read(request.GET)
    return report_page(request, sentence, "A new report", may_keep=True)


def ready(request: HttpRequest, name: str) -> HttpResponseBase:
    """A ready report, with what was changed of its sentence."""
    found = ready_named(name)
    if found is None:
        raise Http404
    return report_page(request, Sentence.read(request.GET, found.sentence), found.title, may_keep=True)


def _kept(request: HttpRequest, public_id: str) -> KeptReport:
    return get_object_or_404(
        policy.visible(request.user, "read reports", KeptReport.objects.all()), public_id=public_id
    )


def kept(request: HttpRequest, public_id: str) -> HttpResponseBase:
    """A kept report, with what was changed of its sentence."""
    found = _kept(request, public_id)
    stored = Sentence.read(found.sentence)
    sentence = Sentence.read(request.GET, stored)
    is_own = found.owner_id == request.user.pk
    return report_page(
        request,
        sentence,
        found.name,
        kept=found,
        is_own=is_own,
        is_changed=sentence != stored,
        places=[(one.value, one.label, one.value in found.places) for one in Place],
        sendings=found.sendings.select_related("reader").order_by("-day", "reader__name")[:20],
        may_keep=True,
    )


@require_POST
def keep(request: HttpRequest) -> HttpResponse:
    """Keep the report of a sentence under a name."""
    sentence, form = Sentence.read(request.POST), KeepForm(request.POST)
    back = request.POST.get("back", "")
    if not form.is_valid():
        toasts.trouble(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
        return redirect(f"{reverse('reports:new')}?{sentence.query}")

    def act() -> str:
        made = actions.keep_report(name=form.cleaned_data["name"], sentence=sentence, by=account_of(request))
        toasts.say(request, f"“{made.name}” is kept; its days are read anew each time.")
        return reverse("reports:kept", args=[made.public_id])

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        # Back to where it was asked for, with the sentence as it was.
        address = back if back.startswith(reverse("reports:all")) else reverse("reports:new")
        return redirect(f"{address}?{sentence.query}")


def block(request: HttpRequest, public_id: str) -> HttpResponse:
    """A kept report as a block, about what the sheet that asks is about."""
    found = _kept(request, public_id)
    sentence = about_sheet(
        Sentence.read(found.sentence), request.GET.get("place", "")[:10], request.GET.get("key", "")[:40]
    )
    return _block(request, found.name, sentence, reverse("reports:kept", args=[found.public_id]))


def ready_block(request: HttpRequest, name: str) -> HttpResponse:
    """A ready report as a block, of those whose records one sees."""
    found = ready_named(name)
    if found is None or found.address:
        raise Http404
    return _block(request, found.title, found.sentence, reverse("reports:ready", args=[name]))


def _block(request: HttpRequest, name: str, sentence: Sentence, report_at: str) -> HttpResponse:
    page = ReportPage(request, sentence)
    address = f"{report_at}?{sentence.query}"
    context: dict[str, Any] = {"name": name, "address": address, "asked": page.asked, "errors": page.errors}
    if page.asked is not None and to_work_out(page.asked):
        # What takes long is worked out where one looks at it alone.
        context |= {"asked": None, "waits": True}
    elif page.asked is not None:
        report = run(page.asked)
        context |= {
            "drawing": drawing_of(report, lambda *said: address + page.link(*said).replace("?", "&")),
            "left_out": left_out(report),
            "total": totals(page, report),
        }
    # By itself it is a page: where no script is, the link leads here.
    template = "reports/block.html" if request.headers.get("HX-Request") else "reports/block_page.html"
    return render(request, template, context)


@require_POST
def place(request: HttpRequest, public_id: str) -> HttpResponse:
    """In which places a kept report stands as a block."""
    found = _kept(request, public_id)

    def act() -> str:
        actions.place_report(kept=found, places=request.POST.getlist("place"), by=account_of(request))
        where = ", ".join(Place(one).label for one in found.places)
        toasts.say(request, f"It stands on {where}." if where else "It stands nowhere else any more.")
        return reverse("reports:kept", args=[found.public_id])

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("reports:kept", found.public_id)


def send(request: HttpRequest, public_id: str) -> HttpResponse:
    """On which days a kept report is sent, and to whom."""
    found = _kept(request, public_id)
    policy.require(request.user, "keep reports", found)
    people = readers()
    said: dict[str, Any] = {
        "days": found.days,
        "to": list(found.readers.values_list("public_id", flat=True)) or [account_of(request).public_id],
    }
    form = SendForm(request.POST or None, initial=said, people=people)
    if request.method == "POST" and form.is_valid():
        chosen: list[Account] = [account for account in people if account.public_id in form.cleaned_data["to"]]

        def act() -> str:
            actions.send_report_on(kept=found, days=form.cleaned_data["days"], readers=chosen, by=account_of(request))
            toasts.say(
                request, "It is sent to nobody." if not found.days else "It is sent from the next of these days on."
            )
            return reverse("reports:kept", args=[found.public_id])

        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "kept": found,
        "form": form,
        **plain_frame(request),
    }
    return render(request, "reports/send.html", context, status=422 if form.errors else 200)


@require_POST
def drop(request: HttpRequest, public_id: str) -> HttpResponse:
    """Keep a report no longer."""
    found = _kept(request, public_id)

    def act() -> str:
        actions.drop_report(kept=found, by=account_of(request))
        toasts.say(request, f"“{found.name}” is kept no longer.")
        return reverse("reports:all")

    return act_once(request, act)


@require_POST
def ask_file(request: HttpRequest) -> HttpResponse:
    """Have a large file made by the queue."""

    def act() -> str:
        said = {name: request.POST.get(name, "") for name in ("title", "query", "form")}
        made = actions.ask_file(**said, by=account_of(request))
        return reverse("reports:file", args=[made.public_id])

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("reports:all")


def _file(request: HttpRequest, public_id: str) -> ReportFile:
    return get_object_or_404(ReportFile, account=account_of(request), public_id=public_id)


def file(request: HttpRequest, public_id: str) -> HttpResponse:
    """A file that one has asked for: how far it is, then the file."""
    made = _file(request, public_id)
    context = {"made": made, "kept_until": made.created_at + file_making.KEPT}
    if request.GET.get("part"):
        return render(request, "reports/file_part.html", context)
    return render(request, "reports/file.html", context | plain_frame(request))


def fetch(request: HttpRequest, public_id: str) -> FileResponse:
    """A file that is ready."""
    made = _file(request, public_id)
    path = file_making.file_of(made)
    if made.state != ReportFile.State.DONE or not path.exists():
        raise Http404
    name = f"{file_name(made.title)}.{made.form}"
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)
