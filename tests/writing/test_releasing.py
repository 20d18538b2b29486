"""A lesson is released: what is wrong first, then a version that stays as it is."""

import json

import pytest
from django.core.exceptions import ValidationError
from django.urls import reverse

from stepladder.accounts.forms import HostsField
from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.library.copying import copy_modules, restore_version
from stepladder.library.models import Module, ModuleState
from stepladder.library.sorting import delete_modules
from stepladder.writing import actions
from stepladder.writing.errors import NotFinished
from stepladder.writing.models import Lesson
from stepladder.writing.releasing import release_lesson
from tests import factories as f
from tests.writing.drafts import THREE, a_lesson, a_released, check, paragraph, tree

pytestmark = pytest.mark.django_db
PICTURE = {"type": "picture", "attrs": {"file": "a" * 64, "width": 4, "height": 3}}


@pytest.fixture
def admin(client):
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def test_what_is_missing_is_all_said_at_once_and_nothing_is_released(client, admin):
    film = f.a_module("Hoses", kind="video").versions.get()
    sound = f.a_module("Alarm", kind="audio").versions.get()
    blocks = [
        PICTURE,
        check(kind="one", choices=[{"text": "a"}, {"text": "b"}]),
        {"type": "film", "attrs": {"version": film.public_id}},
        check("m", kind="true_false", media=sound.public_id),
    ]
    lesson = a_lesson("Unfinished", ("One", blocks), ("", [paragraph("x")]))
    Module.objects.filter(pk=sound.module_id).update(state=ModuleState.DELETED)
    with pytest.raises(NotFinished, match="5 things are missing"):
        release_lesson(lesson=lesson, by=admin)
    page = client.get(reverse("writing:release", args=[lesson.module.public_id])).content.decode()
    for said in (
        "does not say what it shows",
        "has no right answer",
        "no captions on “Hoses”",
        "a section has no title",
        "a film or sound beside a check is gone from the library",
    ):
        assert said in page
    client.post(reverse("writing:release", args=[lesson.module.public_id]), {"note": ""})
    assert not lesson.module.versions.exists()


def test_released_it_is_a_version_that_can_be_used_with_its_own_minutes(client, admin):
    lesson = a_lesson("Three", *THREE)
    client.post(reverse("writing:release", args=[lesson.module.public_id]), {"note": "The first one"})
    module = Module.objects.get(pk=lesson.module_id)
    version = module.versions.get()
    assert (module.state, module.minutes, version.note) == (ModuleState.RELEASED, 1, "The first one")
    assert version.data["sections"] == 3
    assert [(one.place, one.title) for one in version.passages.all()] == [(1, "First"), (2, "Second"), (3, "Third")]
    assert "3 sections, 1 check" in client.get(reverse("library:module", args=[module.public_id])).content.decode()


def test_a_released_lesson_that_is_edited_stays_as_it_was_for_who_reads_it(client, admin):
    version = a_released("Three", *THREE)
    lesson = Lesson.objects.get(module=version.module)
    section = lesson.sections.order_by("place")[0]
    actions.save_section(section=section, revision=None, title="First", tree=tree(paragraph("Rewritten.")), by=admin)
    shown = client.get(reverse("playing:try_module", args=[version.module.public_id])).content.decode()
    assert "Rewritten." not in shown
    assert "A fire needs air." in shown
    assert (
        "draft of version 2" in client.get(reverse("writing:write", args=[version.module.public_id])).content.decode()
    )
    assert release_lesson(lesson=lesson, by=admin).number == 2
    first = client.get(reverse("playing:try_module", args=[version.module.public_id]) + "?v=1").content.decode()
    assert "A fire needs air." in first


def test_an_earlier_version_is_the_newest_again_in_the_draft_too(admin):
    version = a_released("Three", *THREE)
    lesson = Lesson.objects.get(module=version.module)
    section = lesson.sections.order_by("place")[0]
    actions.save_section(section=section, revision=None, title="First", tree=tree(paragraph("Rewritten.")), by=admin)
    added = actions.add_section(lesson=lesson, by=admin, title="Fourth")
    actions.save_section(section=added, revision=None, title="Fourth", tree=tree(paragraph("More.")), by=admin)
    release_lesson(lesson=lesson, by=admin)
    restored = restore_version(version=version, by=admin)
    assert restored.number == 3
    assert [one["title"] for one in restored.lesson.sections] == ["First", "Second", "Third"]
    section.refresh_from_db()
    assert "A fire needs air." in json.dumps(section.tree)
    assert [one.title for one in lesson.sections.filter(removed_at=None)] == ["First", "Second", "Third"]
    assert any("Rewritten." in json.dumps(one.tree) for one in section.earlier.all())


def test_a_copy_is_a_lesson_of_its_own(admin):
    version = a_released("Three", *THREE)
    copy_modules(modules=[version.module], to=version.module.binder, by=admin)
    copied = Lesson.objects.exclude(module=version.module).get()
    assert copied.module.title == "Three (copy)"
    section = copied.sections.order_by("place")[0]
    actions.save_section(section=section, revision=None, title="First", tree=tree(paragraph("Other.")), by=admin)
    assert "Other." not in json.dumps(version.lesson.sections)


def test_what_a_released_lesson_shows_is_not_deleted_under_it(admin):
    film = f.a_module("Hoses", kind="audio", data={"seconds": 60.0})
    a_released("With sound", ("One", [{"type": "sound", "attrs": {"version": film.versions.get().public_id}}]))
    delete_modules(modules=[film], by=admin)
    film.refresh_from_db()
    assert film.state != ModuleState.DELETED


def test_its_policy_names_the_sites_whose_pages_are_in_it_and_no_others(client, admin):
    Organisation.objects.create(name="Ferries", page_hosts=["tides.example"])
    forget()
    page = {"type": "page", "attrs": {"url": "https://tides.example/today", "title": "Tides", "height": 300}}
    other = {"type": "page", "attrs": {"url": "https://evil.example/", "title": "Evil", "height": 300}}
    version = a_released("Tides", ("One", [page, other]))
    answer = client.get(reverse("playing:try_module", args=[version.module.public_id]))
    policy = answer["Content-Security-Policy"]
    assert "https://tides.example" in policy
    assert "evil.example" not in policy
    assert '<a href="https://evil.example/"' in answer.content.decode()
    plain = a_released("Plain", ("One", [paragraph("Words.")]))
    assert (
        "tides.example"
        not in client.get(reverse("playing:try_module", args=[plain.module.public_id]))["Content-Security-Policy"]
    )


@pytest.mark.parametrize("line", ["https://tides.example", "tides", "*.example", "tides.example:80", "a b.example"])
def test_a_site_is_a_name_alone(line):
    with pytest.raises(ValidationError, match="is no site"):
        HostsField(required=False).clean(line)
    assert HostsField(required=False).clean(" Tides.example \n\ntides.example") == ["tides.example"]
