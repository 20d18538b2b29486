"""Documents of every form on the stage."""

import json
from urllib.parse import urlsplit

from django.test import Client
from django.urls import reverse

from stepladder.learning.models import Attempt
from stepladder.library import storage
from stepladder.library.deriving import keep_derived, process, work_out
from tests import factories as f
from tests.library import files
from tests.playing.packages import place, step_url


def a_document(tmp_path, name, body):
    """A module of a real file, worked out as an upload would be."""
    path = tmp_path / name
    path.write_bytes(body)
    kind, material, worked = work_out(path, name)
    module = f.a_module(worked.title, kind=kind.name, data=dict(worked.data))
    version = module.versions.get()
    version.original = storage.keep(path, material.content_type)
    version.file_name = name
    version.save()
    keep_derived(version, worked)
    process(version, lambda done, total: None)
    return module


def body_of(answer):
    found = b"".join(answer.streaming_content)
    for close in answer._resource_closers:
        close()
    return found


def test_slides_are_a_reading_copy_with_pictures_that_only_the_learner_gets(jun, client, tmp_path):
    module = a_document(tmp_path, "lines.pptx", files.a_pptx())
    enrolment = place(jun, [module])
    page = client.get(step_url(enrolment, module)).content.decode()
    assert "A reading copy: what the file says, not how it looks." in page
    assert page.count("data-number=") == 2
    assert "<li>Never stand in the bight</li>" in page
    picture = page.split('<img src="')[1].split('"')[0]
    answer = client.get(picture)
    assert (answer.headers["Content-Type"], answer.headers["Content-Security-Policy"]) == ("image/webp", "sandbox")
    assert body_of(answer)[8:12] == b"WEBP"
    client.force_login(f.an_account("administrator"))
    assert client.get(picture).status_code == 403


def test_a_drawing_is_shown_as_a_picture_made_safe(jun, client, tmp_path):
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><script>x()</script><rect width="3" height="3"/></svg>'
    module = a_document(tmp_path, "deck.svg", svg)
    page = client.get(step_url(place(jun, [module]), module)).content.decode()
    answer = client.get(page.split('<img src="')[1].split('"')[0])
    assert (answer.headers["Content-Type"], answer.headers["X-Content-Type-Options"]) == ("image/svg+xml", "nosniff")
    assert b"script" not in body_of(answer)


def test_web_pages_come_from_a_content_host_and_tell_which_of_them_is_there(jun, client, tmp_path):
    site = files.zipped(
        {"index.html": "<title>Deck</title><a href='two.html'>on</a>", "two.html": "Two", "a.css": "b{}"}
    )
    module = a_document(tmp_path, "site.zip", site)
    enrolment = place(jun, [module])
    answer = client.get(step_url(enrolment, module))
    address = urlsplit(answer.context["launch"])
    assert f"frame-src 'self' http://{address.netloc}" in answer.headers["Content-Security-Policy"]
    content = Client(HTTP_HOST=address.netloc)
    framed = {"Sec-Fetch-Dest": "iframe"}
    page = content.get(address.path, headers=framed).content.decode()
    assert page.startswith("<title>Deck</title>")
    assert 'src="/run/lib/shown.js?page=1&amp;app=http%3A%2F%2Flocalhost%3A8000"' in page
    second = address.path.replace("index.html", "two.html")
    assert "shown.js?page=2" in content.get(second, headers=framed).content.decode()
    assert body_of(content.get(address.path.replace("index.html", "a.css"))) == b"b{}"
    assert b"postMessage" in body_of(content.get("/run/lib/shown.js"))
    said = client.post(
        reverse("playing:report", args=[Attempt.objects.get().public_id]),
        json.dumps({"pages": [[1, 2], [2, 2]], "at": 2, "seconds": 4}),
        content_type="application/json",
    ).json()
    assert (said["pages"], said["done"]) == ([1, 2], True)
    # It goes on at the page where one stopped.
    assert client.get(step_url(enrolment, module)).context["launch"].endswith("/files/two.html")


def test_next_and_back_lead_to_the_steps_beside(jun, client, tmp_path):
    one, two, three = (f.a_module(title, data={"pages": 1}) for title in ("One", "Two", "Three"))
    enrolment = place(jun, [one, two, three])
    client.get(step_url(enrolment, one))
    client.post(
        reverse("playing:report", args=[Attempt.objects.get().public_id]),
        json.dumps({"pages": [[1, 2]], "at": 1}),
        content_type="application/json",
    )
    page = client.get(step_url(enrolment, two))
    # The third is closed until the second is done.
    assert (page.context["before"].step.title, page.context["after"]) == ("One", None)
