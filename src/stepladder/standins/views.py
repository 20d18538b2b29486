"""The mail tray."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from stepladder.standins.models import TrayMail
from stepladder.web.tables import page_of


def tray(request: HttpRequest) -> HttpResponse:
    mails = TrayMail.objects.all()
    text = request.GET.get("q", "").strip()
    if text:
        mails = mails.filter(to__icontains=text) | mails.filter(subject__icontains=text)
    page = page_of(request, mails, [("To", ""), ("Subject", ""), ("Sent", "")])
    return render(request, "standins/tray.html", {"page": page, "q": text})


def mail(request: HttpRequest, public_id: str) -> HttpResponse:
    return render(request, "standins/mail.html", {"mail": get_object_or_404(TrayMail, public_id=public_id)})
