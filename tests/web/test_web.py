"""What every page shares: the look's promises, the house's contracts."""

import re
from pathlib import Path

import coloraide
import pytest
from django.apps import apps
from django.core.management import call_command
from django.forms import BaseForm
from django.urls import reverse

from stepladder import events
from stepladder.core.days import FOREVER
from stepladder.people.forms.persons import EditForm, HireForm, MoveForm
from stepladder.people.views.sign_ins import RolesForm
from stepladder.web import checks, middleware
from stepladder.web.forms import GONE, CommonForm
from stepladder.web.logs import PlainRefusals
from stepladder.web.templatetags import climb, web
from tests import factories as f
from tools import pictures
from tools.registry_pages import registries

ROOT = Path(__file__).resolve().parents[2]
TOKENS = (ROOT / "src/stepladder/web/css/tokens.css").read_text()


def colours(theme):
    pairs = re.findall(r"--([\w-]+): light-dark\((oklch\([^)]*\)), (oklch\([^)]*\))\)", TOKENS)
    return {name: coloraide.Color(light if theme == "light" else dark) for name, light, dark in pairs}


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_text_and_statuses_have_contrast_on_every_paper_and_wash(theme):
    here = colours(theme)
    for front in ("ink", "ink-2", "accent", "good", "watch", "bad", "quiet"):
        for back in ("paper", "sheet", "accent-wash", "bad-wash"):
            if (front, back) in {
                ("watch", "bad-wash"),
                ("watch", "accent-wash"),
                ("quiet", "bad-wash"),
                ("quiet", "accent-wash"),
            }:
                continue  # these two are never set on a wash
            assert here[front].contrast(here[back]) >= 4.5, (theme, front, back)
    for back in ("paper", "sheet"):
        assert here["field"].contrast(here[back]) >= 3


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.parametrize("blindness", ["protan", "deutan", "tritan"])
def test_status_colours_part_under_colour_blindness(theme, blindness):
    here = colours(theme)
    seen = {name: here[name].filter(blindness) for name in ("good", "watch", "bad")}
    for a, b in (("good", "watch"), ("good", "bad"), ("watch", "bad")):
        assert seen[a].delta_e(seen[b], method="2000") >= 10, (theme, blindness, a, b)


def test_days_and_lengths_are_written_once_for_all(on, db):
    on("2027-03-05")
    assert web.day(f.d("2027-03-14")) == "14 Mar 2027"
    assert (web.day(None), web.day(FOREVER)) == ("–", "no end")
    assert [web.distance(f.d(x)) for x in ("2027-03-14", "2027-03-05", "2027-03-04", "2027-12-05")] == [
        "in 9 days",
        "today",
        "yesterday",
        "in 9 months",
    ]
    assert [web.minutes(n) for n in (None, 12, 115)] == ["–", "12 min", "1 h 55"]
    assert [web.duration(n) for n in (48, 3750)] == ["0:48", "1:02:30"]
    assert web.bytes_size(4_404_019) == "4.2 MB"


def test_progress_is_climbed_from_below():
    drawn = climb.climb(1, 3)
    assert 'aria-label="1 of 3 steps done"' in drawn
    lines = re.findall(r'y1="([\d.]+)"[^>]*class="(rung-\w+)"', drawn)
    lowest = max(lines, key=lambda line: float(line[0]))
    assert lowest[1] == "rung-done"
    assert [c for _, c in lines].count("rung-done") == 1
    assert climb.climb(30, 60).count("<line") == 12


def test_two_origins_that_are_one_are_refused_at_start(settings):
    settings.CONTENT_HOST = settings.APP_HOST
    found = checks.two_origins(None)
    assert (found[0].id, found[0].hint) == ("stepladder.E004", "Set STEPLADDER_CONTENT_HOST to another name.")


def test_models_and_migrations_do_not_part(db):
    call_command("makemigrations", "--check", "--dry-run", verbosity=0)


ORDER = re.findall(r'^    "(\w+)",$', (ROOT / "pyproject.toml").read_text().split("layers = [")[1].split("]")[0], re.M)


def test_foreign_keys_point_to_the_ground():
    rank = {name: n for n, name in enumerate(ORDER)}
    for model in apps.get_models():
        label = model._meta.app_label
        for field in model._meta.get_fields():
            if field.many_to_one or field.one_to_one or field.many_to_many:
                target = field.related_model._meta.app_label if field.concrete else label
                if label in rank and target in rank:
                    assert rank[target] >= rank[label], f"{model.__name__}.{field.name} points to the roof"


def test_url_names_in_templates_point_to_the_ground():
    rank = {name: n for n, name in enumerate(ORDER)}
    for path in (ROOT / "src/stepladder").glob("*/templates/**/*.html"):
        app = path.relative_to(ROOT / "src/stepladder").parts[0]
        for name in re.findall(r'{% url "(\w+):', path.read_text()):
            # The frame of every page leads to the account, the search and the pages handed in to it.
            if app == "web" and name in ("accounts", "search"):
                continue
            assert rank[name] >= rank[app], f"{path.name} of {app} leads to {name}"


# What of a template cannot be broken: a tag of Django's, and the value of an attribute.
WHOLE = re.compile(r'"(?:\{%.*?%\}|\{\{.*?\}\}|[^"])*"|\{%.*?%\}|\{\{.*?\}\}|\'[^\']*\'')


def test_pages_are_short_enough_to_read():
    for path in (ROOT / "src/stepladder").glob("*/templates/**/*.html"):
        lines = path.read_text().splitlines()
        assert len(lines) <= (40 if "cotton" in path.parts else 125), path
        long = [line for line in lines if len(line) > 120 and " " in WHOLE.sub("x", line.strip())]
        assert not long, (path, long)


def test_the_picture_of_the_apps_shows_the_layers_that_the_contract_holds():
    drawn = (ROOT / "docs/pictures/apps.svg").read_text()
    names = re.findall(r'font-weight="700">([a-z_· ]+)</text>', drawn)
    assert [name.replace(" · ", " | ") for name in names if name != "handed in"] == pictures.layers()


def test_the_page_of_registries_says_what_apps_hand_in():
    assert (ROOT / "docs/registries.md").read_text() == registries()


def test_the_events_page_says_who_announces_and_who_listens():
    written = (ROOT / "docs/events.md").read_text()
    called = {event: [reaction for _, reaction in rows] for event, rows in events.listeners().items()}
    for event, listening in {**called, **events.answers()}.items():
        row = next(line for line in written.splitlines() if line.startswith(f"| `{event.__name__}`"))
        for reaction in listening:
            app = reaction.__module__.split(".")[1]
            assert app in row.split("|")[3], (event.__name__, app)


def test_the_health_page_tells_of_database_queue_and_storage(db, client):
    answer = client.get(reverse("health")).json()
    assert answer["ok"]
    assert answer["database"] == {"ok": True}
    assert answer["queue"]["waiting"] == 0
    assert answer["storage"]["free_mb"] > 0


def test_pages_carry_a_strict_policy_and_no_inline_script_or_style(organisation, client):
    client.force_login(f.an_account("administrator"))
    for url in (reverse("desk:desk"), reverse("people:list"), reverse("records:board"), reverse("parts")):
        answer = client.get(url)
        policy = answer.headers["Content-Security-Policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy
        page = answer.content.decode()
        assert not re.search(r'\sstyle="', page)
        assert not re.search(r"\son\w+=", page)
        assert not re.search(r"<script(?![^>]*\ssrc=)", page)


def test_the_parts_page_is_only_in_the_demo(organisation, client, settings):
    client.force_login(f.an_account("administrator"))
    assert client.get(reverse("parts")).status_code == 200
    settings.DEMO = False
    assert client.get(reverse("parts")).status_code == 404


def test_an_address_that_is_not_there_says_what_to_do(organisation, client):
    client.force_login(f.an_account("administrator"))
    page = client.get("/people/nobody/").content.decode()
    assert "There is nothing at this address that you may see" in page
    assert "Go to your first page" in page


def test_nothing_is_asked_of_the_network():
    for path in (ROOT / "src/stepladder").glob("**/*"):
        if path.suffix in (".html", ".css", ".js") and "vendor" not in path.parts:
            text = re.sub(r"/\*.*?\*/", "", path.read_text(), flags=re.S)
            found = re.findall(r"https?://(?!www\.w3\.org|localhost)[\w.]+", text)
            assert found == [], path


def test_the_settings_page_keeps_ones_theme(organisation, client):
    account = f.an_account("learner")
    client.force_login(account)
    client.post(reverse("accounts:settings"), {"theme": "dark"})
    account.refresh_from_db()
    assert (account.theme, account.single_keys) == ("dark", False)
    page = client.get(reverse("accounts:settings")).content.decode()
    assert 'data-theme="dark"' in page
    assert "data-no-keys" in page


def test_a_refusal_is_a_line_in_the_log_and_no_traceback(organisation, client, caplog):
    client.force_login(f.an_account("learner"))
    client.get(reverse("people:list"))
    (record,) = [record for record in caplog.records if record.name == "django.request"]
    assert PlainRefusals().filter(record)
    assert record.exc_info is None
    assert record.getMessage().endswith("/people/: Your role cannot see people. Ask an administrator if it should.")


def test_a_body_that_is_too_long_is_refused_by_its_length_and_read_off(client, organisation, monkeypatch):
    client.force_login(f.an_account("administrator"))
    # As far as that takes no longer than one waits; the rest is left.
    monkeypatch.setattr(middleware, "MOST_LET_GO", 100_000)
    answer = client.post(reverse("people:hire"), b"x" * 9_000_000, content_type="application/x-www-form-urlencoded")
    assert answer.status_code == 413
    assert "larger than the 8 MB" in answer.content.decode()
    assert len(answer.wsgi_request.read()) == 9_000_000 - 100_000
    part = client.generic("POST", reverse("people:hire"), b"", CONTENT_LENGTH="1e9", headers={"HX-Request": "true"})
    assert (part.status_code, "larger than" in part.headers["HX-Trigger"]) == (413, True)


def every_form(of=BaseForm):
    for form in of.__subclasses__():
        if form.__module__.startswith("stepladder."):
            yield form
        yield from every_form(form)


def test_every_form_holds_its_one_line_fields_to_one_line(organisation):
    found = set(every_form())
    assert len(found) > 40
    assert [form for form in found if not issubclass(form, CommonForm)] == []
    data = {"given_name": "Ada", "family_name": "Venn\nBcc: everybody@ferries.example", "email": ""}
    assert EditForm(data).errors == {"family_name": ["This is one line. Take the line break out."]}
    assert EditForm(data | {"family_name": "Venn"}).is_valid()


def test_a_choice_that_has_gone_meanwhile_is_told_in_words_and_not_by_its_key(organisation):
    form = MoveForm({"unit": "9", "from_day": "2026-06-01", "ending": ["x6kutss575tmxp"]}, present=[])
    assert {name: form.errors[name] for name in ("unit", "ending")} == {"unit": [GONE], "ending": [GONE]}
    assert HireForm({"kind": "robot"}).errors["kind"] == [GONE]
    assert RolesForm({"roles": ["king"]}).errors["roles"] == [GONE]
