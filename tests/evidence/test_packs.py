"""Evidence packs: who was covered on a day as known then, and what proves it elsewhere, without the application."""

import hashlib
import io
import json
import os
import subprocess
import sys
import zipfile

import pytest
from django.db import connection, transaction
from django.urls import reverse
from PIL import Image

from stepladder.evidence import check, making
from stepladder.evidence.models import Pack
from stepladder.facts import row_digest
from stepladder.journal.chain import entry_digest, head, rows_digest
from stepladder.journal.models import Entry, EntryRow
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Completion, ValiditySpan
from stepladder.outside.actions import OutsideSaid, record_outside
from stepladder.outside.documents import take_document
from stepladder.queue.actions import at_once
from tests import factories as f
from tests.reading import page_text

NEW = reverse("evidence:new")


@pytest.fixture
def fire(organisation, media, on, client):
    """Fire, for a year, is asked of Dunlin. As known on 1 March 2026 Ada (by a paper) and Bo were covered, Cy was not; in April Bo's
    completion was revoked and Cy's recorded. Eve is at Holm. Today is 14 May; an auditor is signed in.
    """
    on("2026-01-05")
    ada, bo, cy = (f.a_person(name) for name in ("Ada Venn", "Bo Tarn", "Cy Morrow"))
    f.a_person("Eve Otherwise", unit="Holm")
    course = f.a_course("Fire", months=12, window=60, grace=30)
    f.an_assignment(course, due_trigger="", due_day=f.d("2026-02-20"), notice_days=0)
    on("2026-02-10")
    image = io.BytesIO()
    Image.new("RGB", (20, 20), "white").save(image, "PNG")
    size = image.tell()
    image.seek(0)
    paper = take_document(image, "paper.png", size)
    said = OutsideSaid(
        course, "", f.d("2026-02-05"), f.d("2026-12-31"), "Holm Fire School", None, "", paper, "paper.png"
    )
    record_outside(person=ada, said=said, by=f.BY)
    edition = course.editions.get()
    of_bo = record_completion(person=bo, course=course, edition=edition, day=f.d("2026-02-09"), by=f.BY)
    on("2026-04-01")
    revoke_completion(completion=of_bo, because="It was another Bo.", by=f.BY)
    record_completion(person=cy, course=course, edition=edition, day=f.d("2026-02-20"), by=f.BY)
    on("2026-05-14")
    client.force_login(f.an_account("auditor", name="Ottilie Brand"))
    return course


def asked(course, day="2026-03-01", known="2026-03-01", **more):
    unit = f.a_unit("Dunlin")
    return {
        "courses": course.public_id,
        "day": day,
        "known_on": known,
        "with_certificates": "1",
        "with_documents": "1",
        "parts": "1",
        "g0-unit": str(unit.pk),
        **more,
    }


def made(client, said):
    """A pack as somebody asks for it, made by the queue; and its file."""
    with transaction.atomic(), at_once():
        answer = client.post(NEW, said)
    assert answer.status_code == 302, page_text(answer)
    pack = Pack.objects.latest("pk")
    assert pack.state == Pack.State.DONE, pack.trouble
    answer = client.get(reverse("evidence:fetch", args=[pack.public_id]))
    return pack, b"".join(answer.streaming_content)


def files_of(body):
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def packed(tmp_path, files, *, anew=False):
    """The files as a folder; *anew*: with a pack.json that knows them as they are now."""
    folder = tmp_path / hashlib.sha256(repr(sorted(files.items())).encode()).hexdigest()[:12]
    if anew:
        stated = json.loads(files["pack.json"])
        listed = {name: body for name, body in files.items() if name != "pack.json"}
        stated["files"] = {
            name: {"bytes": len(body), "sha256": hashlib.sha256(body).hexdigest()} for name, body in listed.items()
        }
        files = {**files, "pack.json": json.dumps(stated).encode()}
    for name, body in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(body)
    return folder


def fails(path, *heads, seal=""):
    return " ".join(check.check(path, heads, seal).fails)


def test_the_question_is_answered_as_known_then_and_checks_elsewhere(fire, client, tmp_path):
    before = head()
    pack, body = made(client, asked(fire))
    folder = packed(tmp_path, files_of(body))
    # Isolated: neither this application nor anything that is installed can be imported.
    run = [sys.executable, "-I", "-S", "check.py", "--who", "--head", str(before), "--seal", pack.seal]
    answer = subprocess.run(
        run, cwd=folder, capture_output=True, text=True, env={"PYTHONIOENCODING": "utf-8"}, check=False
    )
    said = answer.stdout
    assert (answer.returncode, "DOES NOT HOLD") == (0, "DOES NOT HOLD"), said + answer.stderr
    assert "Ada Venn was covered for Fire: completed on 2026-02-05" in said
    assert "valid until 2026-12-31" in said
    assert "Bo Tarn was covered for Fire" in said
    assert "Cy Morrow was NOT covered for Fire: overdue; nothing completed by then." in said
    assert "3 people, 1 course, on 2026-03-01 as known on 2026-03-01: 2 covered, 1 not" in said
    assert f"Head: entry {before.number} is the one that you were sent" in said
    assert "NOT CHECKED" not in said
    # Its name and data are nobody's business who looks at Dunlin; her entries are in the chain as digests.
    files = files_of(body)
    assert not any(b"Otherwise" in content for name, content in files.items())
    assert len(files["journal/chain.txt"].splitlines()) == json.loads(files["pack.json"])["head"]["number"]
    assert [name.rpartition(".")[2] for name in files if name.startswith("documents/")] == ["png"]
    assert sorted(name for name in files if name.startswith("certificates/"))
    # By what is known today it was otherwise, and that checks too.
    _, later = made(client, asked(fire, known="2026-05-14"))
    said = []
    assert check.check(packed(tmp_path, files_of(later)), who=said.append).is_whole
    assert [" NOT " in line for line in said] == [False, True, False]
    page = page_text(client.get(reverse("evidence:pack", args=[pack.public_id])))
    assert pack.seal in page
    assert "each reckoned anew" in page
    assert Entry.objects.get(verb="make_pack", object_id=pack.public_id).data["seal"] == pack.seal


def test_what_was_changed_in_a_pack_is_found_and_named(fire, client, tmp_path):
    pack, body = made(client, asked(fire))
    files = files_of(body)
    for name in files:
        if name == "pack.json":
            continue
        content = files[name]
        if not content:
            # Nobody of them was in a session: an empty file is changed by what is put into it.
            content = b" "
        flipped = bytes(
            [*content[: len(content) // 2], content[len(content) // 2] ^ 1, *content[len(content) // 2 + 1 :]]
        )
        assert f"{name} was changed." in fails(packed(tmp_path, {**files, name: flipped}))
    assert "rules.txt is missing." in fails(packed(tmp_path, {k: v for k, v in files.items() if k != "rules.txt"}))
    assert "more.txt was added" in fails(packed(tmp_path, {**files, "more.txt": b"x"}))
    # With a list of files that fits again: the seal tells, and so do the rows and the chain.
    changed = {**files, "rules.txt": files["rules.txt"] + b"And more."}
    assert "not the one that you gave" in fails(packed(tmp_path, changed, anew=True), seal=pack.seal)
    lines = files["journal/chain.txt"].splitlines(keepends=True)
    cut = {**files, "journal/chain.txt": b"".join(lines[:-1])}
    assert "its end was cut off" in fails(packed(tmp_path, cut, anew=True))
    number, digest = head().number, "0" * 64
    assert "the journal was cut off" in fails(packed(tmp_path, files), f"{number + 5}:{digest}")
    rows = files["rows/learning_completion.txt"]
    moved = {**files, "rows/learning_completion.txt": rows.replace(b'"day": "2026-02-05"', b'"day": "2026-02-06"')}
    assert "of learning_completion is not as journal entry" in fails(packed(tmp_path, moved, anew=True))
    entries = files["journal/entries.jsonl"]
    other = {**files, "journal/entries.jsonl": entries.replace(b'"actor_name": "', b'"actor_name": "x', 1)}
    assert "does not say what was chained" in fails(packed(tmp_path, other, anew=True))
    claimed = {**files, "covered.csv": files["covered.csv"].replace(b"overdue,no", b"current,yes")}
    assert "Cy Morrow, Fire: the pack says covered yes" in fails(packed(tmp_path, claimed, anew=True))


def test_a_byte_that_was_changed_in_the_zip_is_never_passed_over(fire, client, tmp_path):
    _, body = made(client, asked(fire, with_certificates=""))
    whole, path = files_of(body), tmp_path / "pack.zip"
    for at in range(0, len(body), len(body) // 60):
        path.write_bytes(bytes([*body[:at], body[at] ^ 0x10, *body[at + 1 :]]))
        try:
            report = check.check(path)
        except check.Unreadable:
            continue
        # What lies between the files, such as their times, says nothing.
        assert not report.is_whole or files_of(path.read_bytes()) == whole


@pytest.mark.parametrize(
    ("sql", "says"),
    [
        (
            "UPDATE learning_completion SET day = '2026-02-07' WHERE day = '2026-02-05'",
            "of learning_completion is not as",
        ),
        (
            "UPDATE journal_entry SET actor_name = 'Nobody' WHERE verb = 'record_outside'",
            "does not follow from the one before it",
        ),
        ("UPDATE learning_validityspan SET valid_until = '2027-12-31'", "Ada Venn, Fire: the pack says covered"),
        ("UPDATE people_person SET family_name = 'Venning' WHERE family_name = 'Venn'", "of people_person is not as"),
    ],
)
def test_a_pack_made_of_rows_that_were_changed_with_plain_sql_says_so(fire, client, sql, says):
    # As whoever has the file writes: past the triggers of the application's own connection.
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS temp.kept")
        before = cursor.execute("SELECT name, sql FROM sqlite_temp_master WHERE type = 'trigger'").fetchall()
        for name, _ in before:
            cursor.execute(f'DROP TRIGGER "{name}"')
        cursor.execute(sql)
        for _, trigger in before:
            cursor.execute(trigger.replace("CREATE TRIGGER", "CREATE TEMP TRIGGER", 1))
    pack, _ = made(client, asked(fire))
    assert any(says in one for one in pack.fails), (pack.fails, pack.holds)
    assert "This pack does not hold." in page_text(client.get(reverse("evidence:pack", args=[pack.public_id])))


def test_one_that_was_built_anew_after_the_journal_was_rewritten_does_not_fit_a_head_that_was_sent(
    fire, client, tmp_path
):
    sent = head()
    completion = Completion.objects.get(own_expiry__isnull=False)
    Completion.objects.filter(pk=completion.pk).update(own_expiry="2027-06-30")
    ValiditySpan.objects.filter(completion_key=completion.pk).update(valid_until="2027-06-30")
    completion.refresh_from_db()
    row = EntryRow.objects.get(table="learning_completion", row=completion.pk)
    EntryRow.objects.filter(pk=row.pk).update(digest=row_digest(completion))
    previous = "0" * 64
    for entry in Entry.objects.order_by("number"):
        if entry.pk == row.entry_id:
            entry.rows_digest = rows_digest(entry.rows.order_by("pk").values_list("table", "row", "digest"))
        entry.previous = previous
        previous = entry.digest = entry_digest(entry)
        entry.save()
    pack, body = made(client, asked(fire))
    folder = packed(tmp_path, files_of(body))
    # By itself it holds; against what was sent it does not.
    assert pack.fails == []
    assert "is not the one that you were sent" in fails(folder, str(sent))


def test_wrong_questions_are_refused_where_they_are_asked_and_nothing_is_lost(fire, client):
    for said, why in (
        (asked(fire, day="2026-06-01"), "Nothing proves what is to come"),
        (asked(fire, known="2026-06-01"), "What will be known is not known yet"),
        (asked(fire, day="1999-01-01"), "Nobody whom you may see was in this reach"),
        ({k: v for k, v in asked(fire).items() if k != "courses"}, "Choose at least one course"),
        ({**asked(fire), "g0-unit": ""}, "names nobody"),
    ):
        answer = client.post(NEW, {**said, "name": "For Thursday"})
        assert answer.status_code == 422
        page = answer.content.decode()
        assert why in page
        assert "For Thursday" in page
        assert why in client.post(reverse("evidence:effect"), said).content.decode()
    assert not Pack.objects.exists()


def test_whose_it_is_and_of_whom_it_may_be(fire, client):
    holm = f.a_unit("Holm")
    client.force_login(f.an_account("unit administrator", name="Uma Holm", parts=(holm,)))
    assert client.post(NEW, asked(fire)).status_code == 422
    mine, body = made(client, {**asked(fire), "g0-unit": str(holm.pk)})
    assert b"Venn" not in b"".join(files_of(body).values())
    client.force_login(f.an_account("unit administrator", name="Una Dunlin", parts=(f.a_unit("Dunlin"),)))
    for name in ("pack", "fetch"):
        assert client.get(reverse(f"evidence:{name}", args=[mine.public_id])).status_code == 404
    assert client.post(reverse("evidence:again", args=[mine.public_id])).status_code == 404


def test_it_is_begun_from_what_one_looks_at(fire, client):
    unit = f.a_unit("Dunlin")
    view = f"?unit={unit.public_id}&course={fire.public_id}&day=2026-03-01&known=2026-03-01"
    page = client.get(reverse("records:standing") + view).content.decode()
    link = f"{NEW}?unit={unit.public_id}&amp;course={fire.public_id}&amp;day=2026-03-01&amp;known=2026-03-01"
    assert link in page
    form = client.get(link.replace("&amp;", "&"))
    assert form.context["form"].initial["courses"] == [fire.public_id]
    assert "1 Mar 2026" in form.content.decode()
    effect = client.post(reverse("evidence:effect"), asked(fire)).context
    assert (effect["covered"], effect["asked"]) == (2, 3)


def test_a_full_disk_is_said_on_the_pack_and_it_is_made_again(fire, client, monkeypatch):
    def full(*_):
        raise OSError(28, os.strerror(28))

    with monkeypatch.context() as patch:
        patch.setattr(making, "write_pack", full)
        with transaction.atomic(), at_once():
            client.post(NEW, asked(fire))
    pack = Pack.objects.get()
    page = page_text(client.get(reverse("evidence:pack", args=[pack.public_id])))
    assert "No space left on device. Make it again when there is room." in page
    with transaction.atomic(), at_once():
        client.post(reverse("evidence:again", args=[pack.public_id]))
    pack.refresh_from_db()
    assert (pack.state, pack.fails) == ("done", [])
    on_disk = making.file_of(pack)
    Pack.objects.update(made_at="2026-01-01T00:00:00+00:00")
    making.drop_old.call()
    pack.refresh_from_db()
    assert (pack.state, on_disk.exists()) == ("dropped", False)
    assert client.get(reverse("evidence:fetch", args=[pack.public_id])).status_code == 404
