"""Packages for tests of the players: unpacked as an upload would be, placed and launched as a browser would."""

import json
from urllib.parse import urlsplit

from django.test import Client
from django.urls import reverse

from stepladder.learning.models import Enrolment
from stepladder.library import storage
from stepladder.library.deriving import process, work_out
from tests import factories as f

APP = "localhost:8000"


def a_package(tmp_path, title="Fire", **files):
    path = tmp_path / "package.zip"
    path.write_bytes(f.a_zip({"page two.html": "<p>two</p>", **files}, title=title))
    _, _, worked = work_out(path, "package.zip")
    module = f.a_module(title, kind="package", data=dict(worked.data))
    version = module.versions.get()
    version.original = storage.keep(path, "application/zip")
    version.save()
    process(version, lambda done, total: None)
    return module


def place(person, modules, **course):
    f.an_assignment(f.a_course("Fire on board", modules, **course))
    return Enrolment.objects.get(person=person)


def step_url(enrolment, module):
    return reverse("playing:step", args=[enrolment.public_id, module.public_id])


def launch(client, enrolment, module, **query):
    """Open a step: (a client of its content host, the launch's path)."""
    answer = client.get(step_url(enrolment, module), query)
    address = urlsplit(answer.context["launch"])
    return Client(HTTP_HOST=address.netloc), address.path


def launch_values(content, path):
    """The data model that a launch begins with."""
    page = content.get(path).content.decode()
    found: dict = json.loads(page.split('type="application/json">')[1].split("</script>")[0])["start"]
    return found


def commit(content, path, seq, values, *, fin=False):
    body = {"seq": seq, "fin": fin, "set": values}
    return content.post(path + "commit", json.dumps(body), content_type="text/plain")
