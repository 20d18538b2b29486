"""Links: made, asked only in the open web, looked at weekly; done when opened, when said so, when a lead confirms it."""

import http.server
import socket
import threading
from datetime import timedelta
from urllib.parse import unquote

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import organisation
from stepladder.accounts.models import Organisation
from stepladder.core.sequence import Part
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.learning.actions import begin_step, enrol
from stepladder.learning.models import Completion, StepDone
from stepladder.library import fetching, links, tasks
from stepladder.library.fetching import FetchRefused, Unanswered
from stepladder.library.models import LinkLook
from stepladder.playing import linked
from tests import factories as f
from tests.library import files
from tests.reading import page_text

PAGE = b"<html><head><title>Tides &amp; times</title></head><body>High at noon.</body></html>"

LONG = """<html><head><title>Moles</title><meta content="/mole.png" property="og:image"><style>p {{ }}</style></head>
<body><nav>{menu}</nav><p>{text}</p><script>var words = "{menu}";</script></body></html>"""
PAGES = {
    "/tides": PAGE,
    "/mole.png": files.a_picture(),
    "/straße": LONG.format(menu="more " * 900, text="Keep off the mole. " * 150).encode(),
    "/inside": b'<title>Inside</title><meta property="og:image" content="http://10.0.0.7/secret.png">',
    "/broken": b"<title>Broken</title><![<![ <p>" + b"<" * 50_000,
    "/no-picture": b'<title>None</title><meta property="og:image" content="/tides">',
}


class Site(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        self.path = unquote(self.path)
        if self.path.startswith("/to/"):
            self.send_response(302)
            self.send_header("Location", self.path[4:])
            self.end_headers()
        elif self.path == "/gone":
            self.send_error(404)
        else:
            self.send_response(200)
            body = PAGES.get(self.path, b"x" * 5_000_000)
            self.send_header("Content-Type", "image/png" if self.path.endswith(".png") else "text/html; charset=utf-8")
            self.end_headers()
            self.wfile.write(body)

    def log_message(self, *_):
        pass


@pytest.fixture
def site():
    """The address of a server on this machine."""
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Site)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


@pytest.fixture
def open_web(monkeypatch):
    """This machine stands for the open web; 10.0.0.0/8 is inside."""
    monkeypatch.setattr(fetching, "is_public", lambda address: not address.startswith("10."))


@pytest.mark.parametrize(
    "address",
    [
        *(
            "127.0.0.1",
            "10.1.2.3",
            "192.168.0.1",
            "172.16.0.9",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.1",
            "224.0.0.1",
        ),
        *("::1", "fe80::1%eth0", "fc00::1", "::ffff:127.0.0.1", "2002:7f00:1::", "64:ff9b::a00:1"),
    ],
)
def test_an_address_inside_a_network_is_never_asked(address):
    assert not fetching.is_public(address)
    host = f"[{address}]" if ":" in address and "%" not in address else address
    with pytest.raises((FetchRefused, Unanswered)):
        fetching.fetch(f"http://{host}:1/")


def test_a_name_that_means_a_private_address_is_not_asked_and_neither_is_a_redirect_to_one(site, open_web, monkeypatch):
    assert fetching.fetch(f"{site}/tides").body == PAGE
    assert fetching.fetch(f"{site}/to/{site}/tides").url == f"{site}/tides"
    with pytest.raises(FetchRefused, match="is inside a network"):
        fetching.fetch(f"{site}/to/http://10.0.0.7/admin")
    for elsewhere in ("file:///etc/passwd", "ftp://127.0.0.1/"):
        with pytest.raises(FetchRefused, match="is no web address"):
            fetching.fetch(f"{site}/to/{elsewhere}")
    with pytest.raises(Unanswered, match="redirects"):
        fetching.fetch(site + "/to/" + "/to/" * 9)
    # One of its addresses is enough.
    both = [(2, 1, 6, "", ("127.0.0.1", 80)), (2, 1, 6, "", ("10.0.0.1", 80))]
    monkeypatch.setattr(socket, "getaddrinfo", lambda *_, **__: both)
    with pytest.raises(FetchRefused, match="inside a network"):
        fetching.fetch("http://harbour.example/")


def test_an_answer_is_bounded_in_bytes_and_in_time(site, open_web, monkeypatch):
    assert len(fetching.fetch(f"{site}/much", most=1000).body) == 1000
    with pytest.raises(Unanswered, match="It answers 404"):
        fetching.fetch(f"{site}/gone")
    slow = socket.create_server(("127.0.0.1", 0))
    monkeypatch.setattr(fetching, "SECONDS", 0.3)
    with pytest.raises(Unanswered, match="does not answer"):
        fetching.fetch(f"http://127.0.0.1:{slow.getsockname()[1]}/")
    slow.close()


@pytest.mark.parametrize(
    "url",
    ["tides", "javascript:alert(1)", "https://", "https://a b/", "https://x:y@z.example/", "https://z.example:99999/"],
)
def test_what_is_no_web_address_is_refused_in_the_form(organisation, client, url):
    author = f.an_account("author")
    client.force_login(author)
    binder = f.a_binder("Web", author)
    form = {"url": url, "title": "", "description": "", "minutes": "5", "done_when": "opened"}
    answer = client.post(reverse("library:new_link", args=[binder.public_id]), form)
    assert (answer.status_code, binder.modules.count()) == (422, 0)
    assert "addre" in str(answer.context["form"].errors["url"]).lower()


def a_link(binder, url, **said):
    return links.create_link(binder=binder, worked=links.prepare_link(url=url, **said), by=f.BY)


def ask_the_web(value=True):
    Organisation.objects.update(fetches_links=value)
    organisation.forget()


def test_a_link_is_called_as_its_page_only_where_the_settings_allow_to_ask(organisation, site, open_web):
    binder = f.a_binder("Web")
    assert a_link(binder, f"{site}/tides").module.title == "127.0.0.1"
    ask_the_web()
    assert a_link(binder, f"{site}/tides").module.title == "Tides & times"
    # What does not answer is made all the same.
    assert a_link(binder, f"{site}/gone", title="Gone").module.title == "Gone"


def test_the_page_of_a_link_says_how_long_it_takes_and_has_its_picture(organisation, media, site, open_web, client):
    """Words of its menus and scripts do not count; a picture inside a network is not asked for, and what is none is left out."""
    ask_the_web()
    binder = f.a_binder("Web")
    mole = a_link(binder, f"{site}/straße").module
    assert (mole.title, mole.minutes) == ("Moles", 3)
    client.force_login(f.an_account("administrator"))
    still = client.get(reverse("library:still", args=[mole.public_id]))
    assert still.getvalue()[:3] == b"\xff\xd8\xff"
    assert '<img class="picture"' in client.get(reverse("playing:try_module", args=[mole.public_id])).content.decode()
    for name, title in (("inside", "Inside"), ("no-picture", "None")):
        plain = a_link(binder, f"{site}/{name}").module
        assert (plain.title, plain.minutes) == (title, 5)
        assert client.get(reverse("library:still", args=[plain.public_id])).status_code == 404
    assert a_link(binder, f"{site}/straße", title="Mine", minutes=9).module.minutes == 9
    assert a_link(binder, f"{site}/broken").module.title == "Broken"


def test_links_are_looked_at_once_a_week_and_a_dead_one_says_since_when(organisation, site, open_web, client):
    author = f.an_account("author")
    client.force_login(author)
    binder = f.a_binder("Web", author)
    gone, alive = (a_link(binder, f"{site}/{n}", title=n) for n in ("gone", "tides"))
    assert links.links_to_look_at() == []
    ask_the_web()
    tasks.look_at_links.func()
    assert {look.version: bool(look.dead_since) for look in LinkLook.objects.all()} == {gone: True, alive: False}
    since = gone.look.dead_since
    assert links.links_to_look_at() == []
    LinkLook.objects.update(looked_at=clock.now() - timedelta(days=8))
    tasks.look_at_links.func()
    assert LinkLook.objects.get(version=gone).dead_since == since
    assert "does not answer since" in page_text(client.get(reverse("library:home")))
    assert "It answers 404" in page_text(client.get(reverse("library:module", args=[gone.module.public_id])))


@pytest.fixture
def step_of(organisation):
    """Makes a course of one link that is done as is said, and its attempt by Ada."""

    def make(done_when, person=None):
        version = a_link(
            f.a_binder(), "https://tides.example/", title=f"Tides {done_when}", done_when=done_when, minutes=2
        )
        course = f.a_course(f"Course {done_when}", modules=[version.module])
        person = person or f.a_person("Ada Larn")
        (enrolment,) = enrol(people=[person], course=course, origin="assigned", by=f.BY)
        return begin_step(enrolment=enrolment, step=enrolment.edition.steps.get(part=Part.MAIN), by=f.BY)

    return make


def test_a_link_is_done_as_its_module_says(step_of):
    opened = step_of("opened")
    linked.report_link(attempt=opened, did="opened", by=f.BY)
    said = step_of("said", opened.enrolment.person)
    linked.report_link(attempt=said, did="opened", by=f.BY)
    assert StepDone.objects.known_now().count() == 1
    assert linked.report_link(attempt=said, did="said", by=f.BY).status == "completed"
    linked.report_link(attempt=said, did="said", by=f.BY)
    assert (StepDone.objects.count(), Completion.objects.count()) == (2, 2)


def test_a_lead_confirms_and_it_counts_from_the_day_that_it_was_said(step_of, client):
    attempt = step_of("confirmed")
    with clock.pinned(clock.now() - timedelta(days=3)):
        linked.report_link(attempt=attempt, did="said", by=f.BY)
        on = clock.today()
    assert StepDone.objects.count() == 0
    url, form = reverse("playing:confirm"), {"chosen": [attempt.public_id]}
    # Nobody who does not answer for Ada, nor herself.
    for role in ("author", "instructor"):
        client.force_login(f.an_account(role, name=role))
        assert client.post(url, form).status_code == 403
    stranger, leads_her = (f.a_person(name, unit=unit) for name, unit in (("Bo Tarn", "Osier"), ("Cy Dell", "Dunlin")))
    for person in (stranger, leads_her):
        f.an_account(name=person.name, person=person)
        f.a_lead(person=person)
    client.force_login(stranger.account)
    client.post(url, form)
    assert StepDone.objects.count() == 0
    client.force_login(leads_her.account)
    assert "Ada Larn" in page_text(client.get(reverse("playing:to_confirm")))
    client.post(url, form)
    assert StepDone.objects.known_now().get().day == on
    assert not linked.said_to_be_done(leads_her.account).exists()
    # Taken back, it waits again, and the course with it.
    assert Completion.objects.known_now().count() == 1
    undoing.take_back(Entry.objects.get(verb="confirm_many"), by=leads_her.account)
    assert not StepDone.objects.known_now().exists()
    assert not Completion.objects.known_now().exists()
    assert linked.said_to_be_done(leads_her.account).get() == attempt
    client.post(url, form)
    assert Completion.objects.known_now().get().day == on
