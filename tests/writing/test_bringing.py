"""A text, slides, Markdown or a web page becomes a lesson, as a draft."""

import base64

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from stepladder.core.lessons import check_tree, text_of
from stepladder.writing.from_html import tree_of
from stepladder.writing.models import Lesson
from tests import factories as f
from tests.library.files import a_docx, a_picture, a_pptx

pytestmark = pytest.mark.django_db

MARKDOWN = b"""# Fire on board

What to do **first**, and *why*. A fire in a cabin doubles about every minute: what is done in the first one decides whether it
stays a cabin, and what is done in the second whether it stays a deck. Nobody is late who comes in the first.

- alarm
- doors
  1. yours
  2. theirs

> Never open a warm door.

## In figures

| means | takes |
|---|---|
| water | heat |

```
FIRE FIRE FIRE
```
"""
PICTURE = base64.b64encode(a_picture(size=(60, 40))).decode()
PAGE = f"""<!doctype html><html><head><title>Smoke</title><script>steal()</script></head><body><nav>Menu</nav>
<h1>Smoke</h1><p onclick="x()">It goes <b>up</b> first: <a href="javascript:x()">here</a>, <a href="https://a.example/b">there</a>.</p>
<p><img alt="A dot" src="data:image/png;base64,{PICTURE}"><img src="https://far.example/a.png"></p></body></html>""".encode()


def bring(client, name, body, **said):
    binder = f.a_binder()
    sent = SimpleUploadedFile(name, body)
    return client.post(
        reverse("writing:new_lesson", args=[binder.public_id]), {"title": "", "file": sent, **said}, follow=True
    )


def kinds(section):
    return [block["type"] for block in section.tree["content"]]


@pytest.fixture
def admin(client, media):
    client.force_login(f.an_account("administrator"))


def test_markdown_becomes_sections_by_its_heads(client, admin):
    page = bring(client, "fire.md", MARKDOWN).content.decode()
    lesson = Lesson.objects.get()
    assert lesson.module.title == "Fire on board"
    first, second = lesson.sections.order_by("place")
    assert [first.title, second.title] == ["Fire on board", "In figures"]
    assert kinds(first) == ["paragraph", "bullets", "quote"]
    assert kinds(second) == ["table", "listing"]
    nested = first.tree["content"][1]["content"][1]["content"][1]
    assert nested["type"] == "numbers"
    assert "The file has become 2 sections." in page
    assert lesson.module.state == "draft"


def test_a_web_page_comes_without_its_scripts_and_with_the_pictures_in_it(client, admin):
    page = bring(client, "smoke.html", PAGE).content.decode()
    section = Lesson.objects.get().sections.get()
    assert section.title == "Smoke"
    assert kinds(section) == ["paragraph", "picture"]
    words, picture = section.tree["content"]
    assert text_of(words) == "It goes up first: here, there."
    links = [mark for part in words["content"] for mark in part.get("marks", []) if mark["type"] == "link"]
    assert [link["attrs"]["href"] for link in links] == ["https://a.example/b"]
    assert picture["attrs"]["shows"] == "A dot"
    assert picture["attrs"]["width"] == 60
    assert "1 of its pictures could not be brought along" in page
    assert client.get(reverse("library:own_picture", args=[picture["attrs"]["file"]])).status_code == 200


def test_texts_and_slides_of_an_office_become_lessons(client, admin):
    bring(
        client,
        "2026-04_v3.docx",
        a_docx("Where one gathers.", "And who counts.", above="The muster list", head="Where"),
    )
    lesson = Lesson.objects.get()
    section = lesson.sections.get()
    assert (lesson.module.title, section.title) == ("The muster list", "Where")
    assert text_of(section.tree).startswith("Where one gathers.")
    bring(client, "slides.pptx", a_pptx(), title="From slides")
    lesson = Lesson.objects.get(module__title="From slides")
    assert lesson.sections.count() > 1


@pytest.mark.parametrize(
    ("name", "body", "says"),
    [
        ("film.mp4", b"\x00\x00\x00\x18ftypmp42" + b"\x00" * 40, "nothing that a lesson is made of"),
        ("cut.docx", b"PK\x03\x04 cut off", "is cut off or damaged"),
        ("nothing.md", b"   ", "nothing to read"),
    ],
)
def test_what_is_no_lesson_says_what_to_bring_and_nothing_is_made(client, admin, name, body, says):
    answer = bring(client, name, body)
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert not Lesson.objects.exists()


def test_without_a_title_and_a_file_it_asks_for_one(client, admin):
    binder = f.a_binder()
    page = client.post(reverse("writing:new_lesson", args=[binder.public_id]), {"title": ""})
    assert "Give it a title, or begin with a file" in page.content.decode()


@pytest.mark.parametrize(
    "html",
    [
        "",
        "loose words",
        "<ul><li><ul><li>deep</li></ul></li></ul>",
        "<table><tr></tr></table>",
        "<table><tr><td colspan='900'>a</td><td rowspan='x'>b</td></tr></table>",
        "<blockquote></blockquote><p><br></p><h3></h3>",
        "<div><p>a</p>b<span>c <b><i>d</i></b></span></div>",
        "<ol><p>no item</p></ol>",
        "<dl><dt>word</dt><dd>meaning</dd></dl>",
    ],
)
def test_whatever_a_page_holds_is_a_section_that_the_table_allows(html):
    assert check_tree(tree_of(html, "", {}))["content"]
