"""Reports as pages and files, and those that are kept and sent."""

import io
import json
import re
from datetime import date
from smtplib import SMTPRecipientsRefused

import pytest
from django.core import mail
from django.urls import reverse
from python_calamine import CalamineWorkbook

from stepladder import daily
from stepladder.accounts.organisation import forget
from stepladder.core.days import Calendar
from stepladder.journal.models import Entry
from stepladder.queue.actions import at_once
from stepladder.reports.models import KeptReport, Sending
from stepladder.reports.sending import due_day, hand_over, send_report
from stepladder.tabular.writing import as_xlsx
from tests import factories as f
from tests.reading import page_text

NEW, KEEP = reverse("reports:new"), reverse("reports:keep")
COVERED = {"figure": "requirements.covered", "by": "unit", "first": "1 Mar 2026"}


@pytest.fixture
def admin(fleet, client):
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def kept(client, name="For the board", **said):
    return client.post(KEEP, {"name": name, "once": name + str(said), **(COVERED | said)})


def test_a_report_shows_its_figures_and_each_leads_to_its_rows(admin, client):
    page = client.get(NEW, COVERED)
    assert page.status_code == 200
    lines = page.context["lines"].rows
    assert [(line["name"], line["cells"][0]["text"]) for line in lines] == [("Dunlin", "50"), ("Knot", "67")]
    rows = client.get(NEW + lines[1]["cells"][0]["url"])
    assert rows.context["rows"].total == 3
    assert "Covered rate: Knot" in page_text(rows)
    part = client.get(NEW + rows.context["part_url"])
    assert part.context["rows"].total == 2
    names = [cells[0].value for cells in client.get(NEW + rows.context["part_url"] + "&sort=name").context["rows"].rows]
    assert names == ["Hale, Dora", "Venn, Ada"]


def test_a_page_of_rows_takes_as_many_queries_as_one_row(admin, client, django_assert_max_num_queries):
    rows = {"figure": "completions.completions", "first": "1 Mar 2026"}
    client.get(NEW, rows)
    with django_assert_max_num_queries(45):
        client.get(NEW, rows)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"figure": "nothing.at_all"}, "There is no such figure"),
        ({"figure": "time.hours", "by": "venue"}, "can’t be grouped by “venue”"),
        ({"by": "month", "then": "year"}, "one kind of period only"),
        ({"first": "the day before"}, "is not a day"),
        ({"first": "today", "last": "1 Jan 2026"}, "It would end before it begins"),
        ({"by": "week", "first": "1 Jan 1950"}, "Choose longer periods"),
        ({"of": "gone"}, "Choose everybody, a unit or a group"),
        ({"about": "t.gone"}, "Choose everything, a course, a topic or a path"),
    ],
)
def test_a_sentence_that_cannot_be_asked_says_what_to_change_and_keeps_its_words(admin, client, asked, said):
    page = client.get(NEW, COVERED | asked)
    assert page.status_code == 422
    assert said in page_text(page)
    for name, text in (COVERED | asked).items():
        assert getattr(page.context["sentence"], name) == text


def test_a_figure_that_cannot_be_grouped_so_offers_what_it_can_be_grouped_by(admin, client):
    page = client.get(NEW, {"figure": "time.hours", "by": "venue"})
    assert page.status_code == 422
    offered = [choice.value for choice in page.context["by_choices"]]
    assert {"unit", "course", "month"} <= set(offered)
    assert "venue" not in offered


def test_what_was_known_on_a_day_is_said_wherever_it_leads(admin, fire, client):
    known = {**COVERED, "known": "10 Apr 2026"}
    page = client.get(NEW, known)
    assert "as known on 10 Apr 2026" in page_text(page)
    lines = page.context["lines"].rows
    assert [(line["name"], line["cells"][0]["text"]) for line in lines] == [("Dunlin", "33"), ("Knot", "0")]
    rows = client.get(NEW + lines[0]["cells"][0]["url"])
    assert rows.context["rows"].total == 3
    links = {cell.column.key: cell.link for cell in rows.context["rows"].rows[0]}
    assert links["name"].endswith("?day=2026-05-14&known=2026-04-10")
    why = client.get(links["status"])
    assert "as of Thu 14 May 2026, as known on 10 Apr 2026" in page_text(why)
    answer = client.get(NEW, {**known, "as": "csv"})
    assert "-known-2026-04-10.csv" in answer["Content-Disposition"]
    sheet = CalamineWorkbook.from_filelike(
        io.BytesIO(b"".join(client.get(NEW, {**known, "as": "xlsx"}).streaming_content))
    )
    said = [row for name in sheet.sheet_names for row in sheet.get_sheet_by_name(name).to_python()]
    assert any("as known on" in str(cell).lower() for row in said for cell in row)
    # How somebody stood on a day that is over is explained by that day.
    over = client.get(NEW, {**COVERED, "last": "30 Apr 2026", "rows": "covered"}).context["rows"].rows[0]
    assert next(cell.link for cell in over if cell.column.key == "status").endswith("?day=2026-04-30")


BOARD = {"figure": "requirements.covered", "by": "unit", "then": "course", "first": "1 Mar 2026"}


def test_groups_by_groups_are_drawn_as_the_board_and_each_cell_leads_to_its_rows(admin, client):
    """Of the Dunlin one of two is covered and the other late; of the Knot two of three."""
    page = client.get(NEW, BOARD)
    dunlin, knot = page.context["lines"].rows
    assert (dunlin["name"], knot["name"]) == ("Dunlin", "Knot")
    assert '<i class="k15 l15"></i>50<sup>1</sup></a>' in dunlin["cells"]
    assert 'title="2 of 3"' in knot["cells"]
    address = re.search(r'href="([^"]+)"', knot["cells"])[1].replace("&amp;", "&")
    assert client.get(NEW + address).context["rows"].total == 3
    # All in one drawing: the same cells, and an address that a script completes.
    whole = client.get(NEW, {**BOARD, "view": "all"})
    drawn = whole.context["whole_board"]
    assert json.loads(drawn.said) == [["Dunlin, Fire: 50 %, 1 of 2"], ["Knot, Fire: 67 %, 2 of 3"]]
    opens = whole.context["opens"].format(row=json.loads(drawn.grid.rows)[1], column=json.loads(drawn.grid.columns)[0])
    assert opens == address
    # Numbers are drawn against the highest; in a file they stand as they are.
    asked = client.get(NEW, {**BOARD, "figure": "requirements.asked"})
    assert ['<i class="k20"></i>2</a>' in line["cells"] for line in asked.context["lines"].rows] == [True, False]
    text = b"".join(client.get(NEW, {**BOARD, "as": "csv"}).streaming_content).decode("utf-8-sig")
    assert text.splitlines()[2] == "Knot,Fire,67,2,3"


def test_many_columns_come_in_pages_and_a_drawing_says_what_it_leaves_out(admin, client, monkeypatch):
    monkeypatch.setattr("stepladder.reports.pages.COLUMNS", 1)
    monkeypatch.setattr("stepladder.reports.boards.WHOLE_CELLS", 2)
    turned = {**BOARD, "by": "course", "then": "unit"}
    first = client.get(NEW, turned)
    assert first.context["heads"] == ["Dunlin"]
    assert "columns 1 to 1 of 2" in page_text(first)
    assert client.get(NEW + first.context["columns"].after).context["heads"] == ["Knot"]
    assert client.get(NEW, {**turned, "columns": "x"}).context["heads"] == ["Dunlin"]
    assert client.get(NEW, {**turned, "columns": "99"}).context["heads"] == ["Knot"]
    monkeypatch.setattr("stepladder.reports.boards.WHOLE_CELLS", 1)
    cut = client.get(NEW, {**BOARD, "view": "all"})
    assert "Drawn are the first 1 of 2 rows." in page_text(cut)
    months = client.get(NEW, {**BOARD, "then": "month"})
    assert [head.label for head in months.context["heads"]] == ["Mar 2026"]
    assert len(client.get(NEW + months.context["columns"].after).context["heads"]) == 1


def test_a_block_of_groups_by_groups_is_drawn_small(admin, client):
    kept(client, **BOARD)
    block = client.get(
        reverse("reports:block", args=[KeptReport.objects.get().public_id]), headers={"HX-Request": "true"}
    )
    drawing = str(block.context["drawing"])
    assert drawing.count('class="reach"') == 2
    assert "<title>Knot, Fire: 67 %, 2 of 3</title>" in drawing
    address = re.findall(r'href="([^"]+)"', drawing)[1].replace("&amp;", "&")
    assert client.get(address).context["rows"].total == 3


def test_rows_lead_only_where_one_may_go(admin, fire, client):
    """Whoever runs sessions comes from a seat to its session; an auditor sees the seat, and no way to a page that refuses them."""
    seats = {"figure": "seats.attended", "first": "1 Mar 2026"}

    def links():
        (cells, *_) = client.get(NEW, seats).context["rows"].rows
        return {cell.column.key: cell.link for cell in cells}

    assert client.get(links()["seat"]).status_code == 200
    client.force_login(f.an_account("auditor", name="Ottilie Brand"))
    assert links()["seat"] == ""
    assert client.get(links()["name"]).status_code == 200


def test_rows_that_nobody_has_are_none(admin, client):
    for odd in ({"rows": "covered", "at": "99999"}, {"rows": "covered", "at": "1.2.3"}, {"rows": "odd"}, {"at": "x"}):
        assert client.get(NEW, COVERED | odd).status_code == 200
    assert client.get(NEW, COVERED | {"rows": "covered", "at": "99999"}).context["rows"].total == 0


def test_the_files_are_what_is_shown(admin, client):
    lines = client.get(NEW, COVERED | {"as": "csv"}).getvalue().decode("utf-8-sig").splitlines()
    assert lines[0].startswith('Own unit,"covered rate, %",covered rate: part,covered rate: of,')
    assert lines[1:] == ["Dunlin,50,1,2,50,1,2,2,1,1,0", "Knot,67,2,3,67,2,3,3,1,1,0"]
    rows = {"figure": "completions.completions", "first": "1 Mar 2026", "sort": "name"}
    book = client.get(NEW, rows | {"as": "xlsx"})
    sheets = CalamineWorkbook.from_filelike(io.BytesIO(book.getvalue()))
    cells = sheets.get_sheet_by_index(0).to_python()
    assert cells[0] == [
        "Name",
        "Number",
        "Unit and position then",
        "Course",
        "On",
        "Days taken",
        "Score, %",
        "Certificate",
    ]
    assert [row[:1] + row[2:7] for row in cells[1:]] == [
        ["Hale, Dora", "Knot, Deckhand", "Fire", date(2026, 4, 20), 50.0, ""],
        ["Tarn, Bo", "Dunlin, Deckhand", "Fire", date(2026, 4, 20), 50.0, 100.0],
        ["Venn, Ada", "Dunlin, Deckhand", "Fire", date(2026, 4, 2), 32.0, 80.0],
    ]
    assert ["of", "everybody"] in sheets.get_sheet_by_index(1).to_python()


def test_what_one_sheet_does_not_hold_goes_on_with_the_next(tmp_path):
    path = tmp_path / "book.xlsx"
    as_xlsx(
        path,
        "Who: all/some",
        ["N"],
        iter([[[n] for n in range(3)], [[n] for n in range(3, 5)]]),
        [("from", "x")],
        most=2,
    )
    book = CalamineWorkbook.from_path(path)
    assert book.sheet_names == ["Who allsome", "Who allsome (2)", "Who allsome (3)", "What this is"]
    assert [book.get_sheet_by_index(n).to_python() for n in range(3)] == [
        [["N"], [0.0], [1.0]],
        [["N"], [2.0], [3.0]],
        [["N"], [4.0]],
    ]


def test_pages_of_their_own(admin, fire, client):
    for name in ("all", "watched", "skills", "courses", "paths"):
        assert client.get(reverse(f"reports:{name}")).status_code == 200
    side = client.get(reverse("reports:courses"), {"first": "1 Mar 2026"}).context["page"].rows
    assert [(line.title, [text for text, _ in line.cells]) for line in side] == [
        ("Fire", ["60", "2", "3", "50 (41–50)", "few", "100", "1.0"])
    ]
    covered = side[0].cells[0][1]
    assert client.get(covered).context["rows"].total == 5


def test_a_kept_report_keeps_its_words_and_means_the_right_days_each_time(admin, client, on):
    answer = kept(
        client, first="start of last month", last="end of last month", figure="completions.completions", by=""
    )
    found = KeptReport.objects.get()
    assert answer["Location"] == reverse("reports:kept", args=[found.public_id])
    assert client.get(answer["Location"]).context["rows"].total == 3
    assert "For the board" in page_text(client.get(reverse("records:board")))
    on("2026-06-14")
    assert client.get(answer["Location"]).context["rows"].total == 0
    # Changed in place it is not kept so, until one says it.
    changed = client.get(answer["Location"], {"first": "1 Mar 2026"})
    assert (changed.context["rows"].total, "changed; not kept so" in page_text(changed)) == (3, True)
    kept(client, first="1 Mar 2026", last="today", figure="completions.completions", by="")
    assert KeptReport.objects.get().sentence["first"] == "1 Mar 2026"
    assert [e.verb for e in Entry.objects.filter(verb__in=("keep_report", "change_report")).order_by("number")] == [
        "keep_report",
        "change_report",
    ]
    client.post(reverse("reports:drop", args=[found.public_id]), {"once": "drop"})
    assert not KeptReport.objects.exists()


def test_what_cannot_be_kept_says_why(admin, client):
    for said, why in (({"name": " "}, "required"), ({"by": "venue"}, "grouped by"), ({"name": "x" * 81}, "80")):
        answer = client.post(KEEP, {"name": "Mine", "once": str(said), **(COVERED | said)}, follow=True)
        assert why in page_text(answer)
    assert not KeptReport.objects.exists()


def test_a_kept_report_is_nobody_elses(admin, client):
    kept(client)
    found = KeptReport.objects.get()
    client.force_login(f.an_account("administrator", name="Bo Tarn"))
    for address in ("kept", "send"):
        assert client.get(reverse(f"reports:{address}", args=[found.public_id])).status_code == 404
    assert client.post(reverse("reports:drop", args=[found.public_id])).status_code == 404
    assert "For the board" not in page_text(client.get(reverse("records:board")))


@pytest.fixture
def sent(admin, client, on):
    """A report of completions, weekly to an administrator, to who leads the Knot, and to who leads nobody of it. Today is a Monday."""
    on("2026-05-15")
    boss = f.a_person("Hugo Vane", unit="Knot", position="Master")
    f.a_lead("Master")
    manager = f.an_account("learner", name="Hugo Vane", person=boss)
    shore = f.an_account("unit administrator", name="Ida Berg", parts=(f.a_unit("Shore"),))
    kept(client, first="1 Mar 2026", figure="completions.completions", by="")
    found = KeptReport.objects.get()
    address = reverse("reports:send", args=[found.public_id])
    client.post(
        address, {"days": "weekly", "to": [a.public_id for a in (admin, manager, shore)], "once": "send"}, follow=True
    )
    on("2026-05-18")
    return found, admin, manager, shore


def test_it_is_sent_on_its_days_and_each_gets_the_rows_they_may_see(sent, on):
    _, admin, manager, shore = sent
    with at_once():
        hand_over.call()
        hand_over.call()
    letters = {letter.to[0]: letter for letter in mail.outbox}
    assert sorted(letters) == sorted([admin.email, manager.email])
    assert letters[admin.email].subject == "For the board, 18 May 2026"
    files = {to: letter.attachments[0].content for to, letter in letters.items()}
    assert files[admin.email].count("Fire") == 3
    # Of the Knot are Ada and Dora today.
    assert files[manager.email].count("Fire") == 2
    assert "Tarn" not in files[manager.email]
    assert [(s.reader, s.rows) for s in Sending.objects.order_by("reader__name")] == [
        (manager, 2),
        (shore, 0),
        (admin, 3),
    ]
    # Not again in the same week, and again in the next.
    on("2026-05-20")
    with at_once():
        hand_over.call()
    assert len(mail.outbox) == 2
    on("2026-05-26")
    with at_once():
        hand_over.call()
    assert len(mail.outbox) == 4


def test_nothing_daily_goes_on_a_quiet_date(sent, organisation, on):
    found, *_ = sent
    KeptReport.objects.filter(pk=found.pk).update(days="daily")
    organisation.quiet_dates = [["2026-05-18", "Founders’ day"]]
    organisation.save()
    forget()
    for day, letters in (("2026-05-18", 0), ("2026-05-19", 2), ("2026-05-23", 2)):
        on(day)
        with at_once():
            hand_over.call()
        assert len(mail.outbox) == letters


def test_a_mail_server_that_refuses_is_said_and_asked_again(sent, client, monkeypatch):
    found, admin, *_ = sent
    row = Sending.objects.create(kept=found, reader=admin, day=date(2026, 5, 18))

    def refuse(self, fail_silently=False):
        raise SMTPRecipientsRefused({admin.email: (550, b"no such box")})

    with monkeypatch.context() as patched:
        patched.setattr("django.core.mail.EmailMessage.send", refuse)
        with pytest.raises(SMTPRecipientsRefused):
            send_report.call(sending=row.pk)
    assert "no such box" in page_text(client.get(reverse("reports:kept", args=[found.public_id])))
    send_report.call(sending=row.pk)
    send_report.call(sending=row.pk)
    assert len(mail.outbox) == 1
    assert Sending.objects.get(pk=row.pk).trouble == ""


def test_one_whose_owner_left_is_sent_to_nobody_and_says_so(sent, client):
    found, admin, manager, _ = sent
    admin.is_active, admin.has_left = False, True
    admin.save()
    with at_once():
        hand_over.call()
    assert mail.outbox == []
    client.force_login(manager)
    assert "signs in no more: it is sent to nobody" in page_text(
        client.get(reverse("reports:kept", args=[found.public_id]))
    )


def test_one_about_a_course_that_was_withdrawn_still_tells_and_one_that_cannot_be_run_says_so(sent, fire, client):
    found = sent[0]
    found.refresh_from_db()
    found.sentence |= {"about": fire.public_id}
    found.save()
    type(fire).objects.filter(pk=fire.pk).update(state="withdrawn")
    address = reverse("reports:kept", args=[found.public_id])
    assert client.get(address).context["rows"].total == 3
    assert "Fire (withdrawn)" in page_text(client.get(address))
    found.sentence |= {"of": "a unit that is gone"}
    found.save()
    with at_once():
        hand_over.call()
    assert mail.outbox == []
    assert "Choose everybody, a unit or a group" in page_text(client.get(address))
    assert "can’t be run" in KeptReport.objects.get().trouble


def test_only_who_may_open_records_is_sent_any(admin, client):
    kept(client)
    found = KeptReport.objects.get()
    address = reverse("reports:send", args=[found.public_id])
    learner = f.an_account("learner", name="Lea Ock")
    assert "Lea Ock" not in page_text(client.get(address))
    answer = client.post(address, {"days": "weekly", "to": [learner.public_id], "once": "a"})
    assert (answer.status_code, "can no longer be chosen" in page_text(answer)) == (422, True)
    answer = client.post(address, {"days": "weekly", "to": [], "once": "b"})
    assert "Choose to whom it is sent" in page_text(answer)


@pytest.mark.parametrize(
    ("days", "today", "due"),
    [
        ("weekly", "2026-05-20", "2026-05-18"),
        ("monthly", "2026-05-20", "2026-05-01"),
        ("quarterly", "2026-05-20", "2026-04-01"),
        ("daily", "2026-05-20", "2026-05-20"),
        ("daily", "2026-05-23", None),
        ("", "2026-05-20", None),
    ],
)
def test_the_days_of_sending_follow_the_organisations_calendar(days, today, due):
    found = due_day(days, f.d(today), Calendar(), is_quiet=f.d(today).weekday() >= 5)
    assert found == (f.d(due) if due else None)


def test_reports_go_out_with_the_days_work():
    assert "kept reports" in daily.tasks()


def test_a_block_is_about_what_its_sheet_is_about(admin, fire, client):
    kept(client, figure="completions.completions", by="unit")
    found = KeptReport.objects.get()
    address = reverse("reports:place", args=[found.public_id])
    client.post(address, {"place": ["desk", "unit", "course", "path"], "once": "a"})
    dunlin = f.a_unit("Dunlin")
    sheets = {
        reverse("desk:desk"): "3",
        reverse("courses:course", args=[fire.public_id]): "3",
        reverse("charts:node", args=[dunlin.chart_id, dunlin.public_id]): "2",
    }
    for sheet, expected in sheets.items():
        panel = next(s for s in client.get(sheet).context["sections"] if s.title == "Reports kept here")
        ((name, url),) = panel.context["blocks"]
        block = client.get(url, headers={"HX-Request": "true"})
        assert (name, block.context["total"][0]["text"]) == ("For the board", expected), sheet
        assert client.get(url).status_code == 200
    # One that counts people whatever they learn says nothing on the sheet of a course.
    kept(client, figure="people.learned", by="unit")
    again = client.post(address, {"place": ["course"], "once": "b"}, follow=True)
    assert "can’t stand on sheets of courses" in page_text(again)
    client.post(address, {"place": [], "once": "c"})
    assert all(s.title != "Reports kept here" for s in client.get(reverse("desk:desk")).context["sections"])


def test_what_is_counted_whatever_people_learn_is_not_narrowed_to_a_course(admin, fire, client):
    page = client.get(NEW, {"figure": "people.learned", "about": fire.public_id})
    assert (page.status_code, "Choose everything after “in”" in page_text(page)) == (422, True)
