"""Pictures of one's own: cropped as chosen, made anew, shown to learners too; what is no picture is refused."""

import io

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from stepladder.library import own_pictures
from tests import factories as f
from tests.library import files
from tests.reading import page_text


def halves():
    """A picture whose left half is red and whose right one is blue."""
    image = Image.new("RGB", (1200, 600), "red")
    image.paste("blue", (600, 0, 1200, 600))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


@pytest.fixture
def author(organisation, media, client):
    author = f.an_account("author")
    client.force_login(author)
    return author


def send(client, address, body, crop="", name="own.png"):
    return client.post(address, {"picture": SimpleUploadedFile(name, body), "crop": crop}, follow=True)


@pytest.mark.parametrize(
    ("crop", "colours"),
    [
        ("0,0,0.5", ("red", "red")),
        ("0.55,0.1,0.4", ("blue", "blue")),
        ("0.2,0,0.6", ("red", "blue")),
        # Out of it, nonsense, or nothing said: kept inside, or all of it.
        ("9,9,0.4", ("blue", "blue")),
        ("nan,inf,x", ("red", "blue")),
        ("", ("red", "blue")),
    ],
)
def test_a_module_has_the_part_of_a_picture_that_was_chosen(author, client, crop, colours):
    module = f.a_module("Lines", binder=f.a_binder("Deck", author))
    send(client, reverse("library:module_picture", args=[module.public_id]), halves(), crop)
    module.refresh_from_db()
    with Image.open(own_pictures.path_of(module.picture)) as kept:
        assert kept.size == (900, 576)
        edges = [kept.convert("RGB").getpixel((x, 288)) for x in (20, 700 if crop == "" else 880)]
    for (red, _, blue), colour in zip(edges, colours, strict=True):
        assert (red > blue) == (colour == "red")
    shown = client.get(reverse("library:own_picture", args=[module.picture]))
    assert shown.headers["Content-Type"] == "image/webp"
    client.post(reverse("library:module_picture", args=[module.public_id]), {"do": "remove"})
    module.refresh_from_db()
    assert module.picture == ""


@pytest.mark.parametrize(
    ("name", "body", "said"),
    [
        ("own.png", b"no picture", "is no picture"),
        ("own.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><script/></svg>', "is no picture"),
        ("own.png", files.a_picture()[:60], "damaged or cut off"),
        ("own.png", b"", "is no picture"),
    ],
)
def test_what_is_no_picture_is_refused_in_words_and_the_old_one_stays(author, client, name, body, said):
    module = f.a_module("Lines", binder=f.a_binder("Deck", author))
    address = reverse("library:module_picture", args=[module.public_id])
    send(client, address, halves())
    module.refresh_from_db()
    before = module.picture
    answer = send(client, address, body, name=name) if body else client.post(address, {}, follow=True)
    assert (said if body else "Choose a picture first") in page_text(answer)
    module.refresh_from_db()
    assert (module.picture, bool(before)) == (before, True)


def test_a_course_has_its_own_and_nobody_guesses_the_address_of_another(author, client):
    course = f.a_course("Fire on board", modules=[f.a_module("Lines", binder=f.a_binder("Deck", author))])
    send(client, reverse("courses:picture", args=[course.public_id]), halves())
    course.refresh_from_db()
    assert course.picture in client.get(reverse("courses:course", args=[course.public_id])).content.decode()
    for digest in ("0" * 64, "..", "x"):
        assert client.get(f"/library/pictures/{digest}/").status_code == 404
    client.force_login(f.an_account("author", name="Other"))
    assert send(client, reverse("courses:picture", args=[course.public_id]), halves()).status_code == 403
