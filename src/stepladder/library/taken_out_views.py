"""Taking a version elsewhere: asked for, made by the queue, fetched."""

from __future__ import annotations

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.library import storage
from stepladder.library.models import Module, ModuleVersion, TakenOut
from stepladder.library.queries import binders
from stepladder.library.taking_out import KEPT, form_of, take_out

__all__ = ["export", "fetch", "taken_out"]


@require_POST
def export(request: HttpRequest, public_id: str, number: int, name: str) -> HttpResponse:
    """Have a version made in another form."""
    used = policy.visible(request.user, "use modules", Module.objects.all())
    versions = ModuleVersion.objects.select_related("module").filter(module__in=used)
    version = get_object_or_404(versions, module__public_id=public_id, number=number)
    form = form_of(version.module.kind, name)
    if form is None:
        raise Http404
    return redirect(
        "library:taken_out", public_id=take_out(version=version, form=form, by=account_of(request)).public_id
    )


def _own(request: HttpRequest, public_id: str) -> TakenOut:
    """One that the account itself asked for, of what it may still use."""
    used = policy.visible(request.user, "use modules", Module.objects.all())
    rows = TakenOut.objects.select_related("version__module__binder").filter(version__module__in=used)
    return get_object_or_404(rows, public_id=public_id, account=account_of(request))


@never_cache
def taken_out(request: HttpRequest, public_id: str) -> HttpResponse:
    """How far it is; then the file, and what is not in it."""
    made = _own(request, public_id)
    context = {
        "made": made,
        "module": made.version.module,
        "form": form_of(made.version.module.kind, made.form),
        "until": made.created_at + KEPT,
        "binder": made.version.module.binder,
        "binders": binders(request.user),
        "here": "library",
    }
    part = "library/taken_out_part.html" if "part" in request.GET else "library/taken_out.html"
    return render(request, part, context)


def fetch(request: HttpRequest, public_id: str) -> HttpResponseBase:
    """The file."""
    made = _own(request, public_id)
    path = storage.outgoing(made.public_id)
    if made.state != TakenOut.State.DONE or not path.exists():
        raise Http404
    return FileResponse(path.open("rb"), as_attachment=True, filename=made.file_name)
