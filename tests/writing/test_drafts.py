"""A lesson being written: saved by itself, never over anybody's newer words, and nothing in it that the table does not name."""

import json
from datetime import UTC, datetime, timedelta

import pytest
import time_machine
from django.core.exceptions import PermissionDenied
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from stepladder.core.lessons import key_terms
from stepladder.writing import actions
from stepladder.writing.errors import LastSection, SectionTaken
from stepladder.writing.models import Section
from tests import factories as f
from tests.library.files import a_picture
from tests.reading import plain
from tests.writing.drafts import THREE, a_lesson, check, paragraph, text, tree

pytestmark = pytest.mark.django_db


@pytest.fixture
def author(client):
    account = f.an_account("administrator", name="Bo Tarn")
    client.force_login(account)
    return account


def stopped_clock():
    """Time that only goes on where it is told to; it is the machine's, to which the clock adds the day of the tests."""
    return time_machine.travel(datetime.now(UTC), tick=False)


def save(client, section, blocks, **said):
    body = {"revision": section.revision, "title": section.title, "tree": tree(*blocks), "name": "one", **said}
    return client.post(
        reverse("writing:save", args=[section.public_id]), json.dumps(body), content_type="application/json"
    )


def the_section(lesson, number=1):
    return lesson.sections.order_by("place")[number - 1]


def words_of(section):
    section.refresh_from_db()
    return json.dumps(section.tree)


def test_a_lesson_is_begun_in_a_binder_as_a_draft_that_nobody_can_use(client, author):
    binder = f.a_binder()
    address = reverse("writing:new_lesson", args=[binder.public_id])
    sent = client.post(address, {"title": "How a fire grows", "once": "x"})
    again = client.post(address, {"title": "How a fire grows", "once": "x"})
    assert sent.url == again.url
    page = client.get(sent.url).content.decode()
    assert "draft of version 1" in page
    assert "nothing is written yet" in page
    module = binder.modules.get()
    assert (module.kind, module.state, module.versions.count()) == ("lesson", "draft", 0)


def test_a_section_is_saved_and_says_when(client, author):
    section = the_section(a_lesson())
    answer = save(client, section, [paragraph("Never open a warm door.")])
    assert answer.status_code == 200
    assert answer.json()["revision"] == section.revision + 1
    assert "warm door" in words_of(section)
    assert section.lesson.has_changes


def test_sent_again_after_a_lost_answer_it_is_taken_once(client, author):
    section = the_section(a_lesson())
    first = save(client, section, [paragraph("Once.")])
    again = save(client, section, [paragraph("Once.")])
    assert first.json()["revision"] == again.json()["revision"]
    assert section.earlier.count() == 1


def test_behind_somebody_elses_change_nothing_is_overwritten_and_both_are_shown(client, author):
    section = the_section(a_lesson())
    other = f.an_account("administrator", name="Ines Okoro")
    actions.save_section(section=section, revision=None, title="Theirs", tree=tree(paragraph("Theirs.")), by=other)
    stale = Section.objects.get(pk=section.pk)
    stale.revision -= 1
    answer = save(client, stale, [paragraph("Mine.")])
    assert answer.status_code == 409
    assert answer.json()["theirs"]["by"] == "Ines Okoro"
    assert "Theirs." in answer.json()["theirs"]["html"]
    assert "Mine." not in words_of(section)


def test_a_section_is_its_writers_until_five_idle_minutes_later(client, author):
    section = the_section(a_lesson())
    other = f.an_account("administrator", name="Ines Okoro")
    with stopped_clock() as traveller:
        actions.take_section(section=section, by=other)
        refused = save(client, section, [paragraph("Mine.")])
        assert refused.status_code == 423
        assert "Ines Okoro writes in this section" in refused.json()["says"]
        lesson = section.lesson.module.public_id
        seen = client.get(reverse("writing:present", args=[lesson])).json()["sections"]
        assert seen[section.public_id]["by"] == "Ines Okoro"
        with pytest.raises(SectionTaken):
            actions.take_section(section=section, by=author)
        traveller.shift(timedelta(minutes=5, seconds=1))
        assert save(client, section, [paragraph("Mine.")]).status_code == 200
    assert "Mine." in words_of(section)


def test_whoever_leaves_a_section_frees_it_at_once(client, author):
    section = the_section(a_lesson())
    address = reverse("writing:take", args=[section.public_id])
    assert client.post(address).status_code == 200
    client.post(f"{address}?leave=1")
    actions.take_section(section=section, by=f.an_account("administrator"))


@pytest.mark.parametrize(
    ("blocks", "says"),
    [
        ([{"type": "script", "content": [{"type": "text", "text": "alert(1)"}]}], "no blocks called “script”"),
        (
            [paragraph({"type": "text", "text": "x", "marks": [{"type": "link", "attrs": {"href": "javascript:x"}}]})],
            "address",
        ),
        ([{"type": "film", "attrs": {"version": "nobody"}}], "not yours to use, or is gone"),
    ],
)
def test_what_was_pasted_and_does_not_belong_is_refused_with_a_sentence(client, author, blocks, says):
    section = the_section(a_lesson())
    before = words_of(section)
    answer = save(client, section, blocks)
    assert answer.status_code == 422
    assert says in answer.json()["says"]
    assert words_of(section) == before


def test_a_paste_of_megabytes_is_refused_before_it_is_read(client, author):
    section = the_section(a_lesson())
    answer = save(client, section, [paragraph("x" * 3_000_000)])
    assert answer.status_code == 400
    assert "at most 2 MB" in answer.json()["says"]


def test_words_are_shown_as_words_whatever_they_spell(client, author):
    lesson = a_lesson("Marks", ("One", [paragraph("<script>alert(1)</script>", name="a")]))
    page = client.get(reverse("writing:read", args=[lesson.module.public_id])).content.decode()
    assert "&lt;script&gt;alert(1)" in page
    assert "<script>alert" not in page


def test_a_film_that_its_author_may_not_use_is_not_put_in(client):
    hidden = f.a_binder("Hidden", f.an_account("author", name="Someone Else"), is_shared=False)
    film = f.a_module("A film of theirs", kind="video", binder=hidden).versions.get()
    writer = f.an_account("author", name="Bo Tarn")
    mine = f.a_binder("Mine", writer)
    section = the_section(a_lesson(binder=mine, by=writer))
    client.force_login(writer)
    answer = save(client, section, [{"type": "film", "attrs": {"version": film.public_id}}])
    assert "not yours to use" in answer.json()["says"]
    picked = client.get(reverse("writing:pick", args=[section.lesson.module.public_id]) + "?kind=film").content.decode()
    assert "A film of theirs" not in picked


def test_what_was_before_is_kept_once_a_go_and_fetched_back(author):
    section = the_section(a_lesson())
    with stopped_clock() as traveller:
        for number in range(5):
            traveller.shift(timedelta(seconds=30))
            saved = actions.save_section(
                section=section, revision=None if not number else section.revision, title="One",
                tree=tree(paragraph(f"State {number}.")), by=author,
            )  # fmt: skip
        assert saved.earlier.count() == 1
        traveller.shift(timedelta(minutes=11))
        actions.save_section(
            section=section, revision=section.revision, title="One", tree=tree(paragraph("Late.")), by=author
        )
    first = section.earlier.order_by("pk")[0]
    actions.fetch_back(earlier=first, by=author)
    assert "Words." in words_of(section)
    assert any("Late." in json.dumps(one.tree) for one in section.earlier.all())


def test_earlier_states_are_compared(client, author):
    section = the_section(a_lesson())
    save(client, section, [paragraph("Other words.")])
    page = client.get(reverse("writing:earlier", args=[section.public_id])).content.decode()
    assert "<ins>" in page
    assert "Fetch this state back" in page


def test_sections_are_added_moved_duplicated_taken_out_and_put_back(client, author):
    lesson = a_lesson("Three", *THREE)
    address = reverse("writing:sections", args=[lesson.module.public_id])

    def titles():
        return [one.title for one in lesson.sections.filter(removed_at=None).order_by("place")]

    second = the_section(lesson, 2)
    client.post(address, {"do": "down", "section": second.public_id})
    assert titles() == ["First", "Third", "Second"]
    client.post(address, {"do": "duplicate", "section": second.public_id})
    assert titles() == ["First", "Third", "Second", "Second (copy)"]
    copied = lesson.sections.get(title="Second (copy)")
    names = {block["attrs"]["id"] for block in copied.tree["content"]}
    assert not names & {"b1", "k"}
    client.post(address, {"do": "remove", "section": second.public_id})
    assert titles() == ["First", "Third", "Second (copy)"]
    client.post(address, {"do": "put back", "section": second.public_id})
    assert "Second" in titles()
    client.post(address, {"do": "add"})
    assert titles()[-1] == ""


def test_the_last_section_stays(author):
    with pytest.raises(LastSection, match="at least one section"):
        actions.remove_section(section=the_section(a_lesson()), by=author)


def test_a_section_is_hidden_until_a_check_before_it(client, author):
    lesson = a_lesson("Three", *THREE)
    address = reverse("writing:sections", args=[lesson.module.public_id])
    third = the_section(lesson, 3)
    client.post(address, {"do": "hide", "section": third.public_id, "check": "k"})
    third.refresh_from_db()
    assert third.hidden_until == "k"
    refused = client.post(
        address, {"do": "hide", "section": the_section(lesson, 1).public_id, "check": "k"}, follow=True
    )
    assert "Choose a check in a section before this one" in refused.content.decode()


def test_options_are_changed_and_tell_their_contrast(client, author):
    lesson = a_lesson()
    address = reverse("writing:options", args=[lesson.module.public_id])
    said = {"in_order": "no", "has_next": "no", "asks_right": "yes", "paper": "wash", "head_colour": "watch"}
    page = client.post(address, {**said, "head_size": "large", "text_size": "ordinary"}, follow=True).content.decode()
    lesson.refresh_from_db()
    assert lesson.options["asks_right"] is True
    assert lesson.options["in_order"] is False
    assert "4.5 is the least" in page


def test_a_cover_is_given_says_what_it_shows_and_is_taken_away(client, author):
    lesson = a_lesson()
    address = reverse("writing:options", args=[lesson.module.public_id])
    said = {"in_order": "yes", "has_next": "yes", "asks_right": "no", "paper": "sheet", "head_colour": "ink"}
    said |= {"head_size": "ordinary", "text_size": "ordinary", "cover_shows": "Two doors"}
    client.post(address, {**said, "cover": SimpleUploadedFile("c.png", a_picture(size=(40, 20)), "image/png")})
    lesson.refresh_from_db()
    assert (lesson.options["cover"]["width"], lesson.options["cover"]["shows"]) == (40, "Two doors")
    client.post(address, {**said, "cover_words": "Fire"})
    lesson.refresh_from_db()
    assert (lesson.options["cover"]["width"], lesson.options["cover"]["words"]) == (40, "Fire")
    client.post(address, {**said, "no_cover": "on"})
    lesson.refresh_from_db()
    assert lesson.options["cover"] is None


def test_pictures_are_made_anew_and_cropped(client, author):
    lesson = a_lesson()
    address = reverse("writing:keep_file", args=[lesson.module.public_id])
    sent = SimpleUploadedFile("door.png", a_picture(size=(400, 200)), "image/png")
    kept = client.post(address, {"file": sent}).json()
    assert (kept["width"], kept["height"]) == (400, 200)
    half = client.post(address, {"crop": kept["file"], "part": "0,0,0.5,1"}).json()
    assert (half["width"], half["height"]) == (200, 200)
    shown = client.get(reverse("library:own_picture", args=[half["file"]]))
    assert shown["Content-Type"] == "image/webp"
    lie = SimpleUploadedFile("door.png", b"<html>not a picture</html>", "image/png")
    assert "is no picture" in client.post(address, {"file": lie}).json()["says"]
    assert "which part" in client.post(address, {"crop": kept["file"], "part": "nan,0,1,1"}).json()["says"]


def test_an_attachment_is_kept_and_given_to_whoever_it_is_shown_to(client, author):
    lesson = a_lesson()
    address = reverse("writing:keep_file", args=[lesson.module.public_id])
    sent = SimpleUploadedFile("list.txt", b"Muster list", "text/plain")
    kept = client.post(address, {"file": sent, "attach": "1"}).json()
    drawn = client.post(
        reverse("writing:draw", args=[lesson.module.public_id]),
        json.dumps({"blocks": [{"type": "attachment", "attrs": kept}]}),
        content_type="application/json",
    ).json()["html"][0]
    url = drawn.split('href="')[1].split('"')[0]
    answer = client.get(url)
    assert b"".join(answer.streaming_content) == b"Muster list"
    assert "attachment" in answer["Content-Disposition"]
    for close in answer._resource_closers:
        close()
    client.force_login(f.an_account("administrator", name="Somebody Else"))
    assert client.get(url).status_code == 403


def test_key_terms_and_checks_stand_in_the_index(client, author):
    mark = {"type": "term", "attrs": {"meaning": "All of it at once."}}
    lesson = a_lesson("Terms", ("One", [paragraph(text("flashover", mark)), check(asked="Which door?")]))
    page = client.get(reverse("writing:around", args=[lesson.module.public_id])).content.decode()
    assert "flashover" in page
    assert "Which door?" in page
    assert key_terms([the_section(lesson).tree])[0].meaning == "All of it at once."


def test_only_editors_of_its_binder_write_in_a_lesson(client):
    owner = f.an_account("author", name="Bo Tarn")
    lesson = a_lesson(binder=f.a_binder("Bo’s", owner), by=owner)
    other = f.an_account("author", name="Someone Else")
    client.force_login(other)
    section = the_section(lesson)
    assert client.get(reverse("writing:write", args=[lesson.module.public_id])).status_code == 404
    assert save(client, section, [paragraph("Mine.")]).status_code == 404
    with pytest.raises(PermissionDenied):
        actions.save_section(section=section, revision=None, title="", tree=tree(), by=other)


def test_the_page_asks_the_same_number_of_queries_for_one_section_and_for_thirty(
    client, author, django_assert_max_num_queries
):
    few, many = a_lesson("Few"), a_lesson("Many", *[(f"S{n}", [paragraph(f"Words {n}.")]) for n in range(30)])
    for lesson in (few, many):
        client.get(reverse("writing:write", args=[lesson.module.public_id]))
        with django_assert_max_num_queries(30):
            client.get(reverse("writing:write", args=[lesson.module.public_id]))


def test_what_partly_right_answers_bring_stands_at_a_check_while_it_is_written(client, author):
    lesson = a_lesson()
    answers = [{"text": "air", "right": True}, {"text": "heat", "right": True}, {"text": "water"}]

    def drawn(**more):
        block = check("k", "several", "What does it need?", choices=answers, **more)
        sent = json.dumps({"blocks": [block]})
        address = reverse("writing:draw", args=[lesson.module.public_id])
        return plain(client.post(address, sent, content_type="application/json").json()["html"][0])

    assert "one of them left out: 50 %" in drawn()
    assert "one of them left out: 0 %" in drawn(all_or_nothing=True)
