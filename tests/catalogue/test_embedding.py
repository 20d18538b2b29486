"""A path shown within pages of other sites."""

import pytest
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.catalogue.models import Embedded
from stepladder.courses.paths import withdraw_path
from tests import factories as f
from tests.assignments.test_paths import a_path
from tests.reading import page_text

pytestmark = pytest.mark.django_db


def frames(answer):
    policy = answer.headers["Content-Security-Policy"]
    return next(part.strip() for part in policy.split(";") if "frame-ancestors" in part)


def test_named_sites_alone_show_a_path_at_an_address_that_names_nobody(organisation, media, client):
    path = a_path("New on deck", ("Safe", 21, [f.a_course("Fire")]), ("Trusted", None, [f.a_course("Lines")]))
    admin = f.an_account("administrator")
    client.force_login(admin)
    page = reverse("catalogue:embed", args=[path.public_id])
    assert "No site is named yet" in page_text(client.get(page))
    client.post(page)
    token = Embedded.objects.get().token
    address = reverse("catalogue:embedded", args=[token])
    assert address in page_text(client.get(page))

    # Whoever asks, signed in or not, sees the same.
    mine = page_text(client.get(address))
    client.logout()
    answer = client.get(address)
    shown = page_text(answer)
    assert shown == mine
    assert admin.name not in shown
    assert "Within 21 days of the start." in shown
    assert f'href="http://localhost:8000{reverse("catalogue:thing", args=[path.public_id])}" target="_blank"' in shown
    assert "X-Frame-Options" not in answer.headers
    # While no site is named none shows it; then those named, and what is below them.
    assert frames(answer) == "frame-ancestors 'none'"
    Organisation.objects.update(embed_hosts=["intranet.example"])
    forget()
    assert frames(client.get(address)) == "frame-ancestors intranet.example *.intranet.example"
    # Every other page stays in no frame at all.
    login = client.get(reverse("accounts:sign_in"))
    assert (frames(login), login.headers["X-Frame-Options"]) == ("frame-ancestors 'none'", "DENY")

    withdraw_path(path=path, by=f.BY)
    gone = client.get(address)
    assert gone.status_code == 404
    assert "Not here any more" in page_text(gone)
    client.force_login(admin)
    client.post(reverse("catalogue:end_embedding", args=[path.public_id]))
    assert client.get(address).status_code == 404
    forget()
