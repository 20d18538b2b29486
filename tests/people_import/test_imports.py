"""Files of people: read whatever way they are written, looked through, carried out, taken back."""

import pytest
import xlsxwriter
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.urls import reverse

from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack
from stepladder.people import actions, queries
from stepladder.people.models import Employment, FieldValue, Person, PersonField, Placement
from stepladder.people_import import actions as importing
from stepladder.people_import.errors import ImportUnready
from stepladder.people_import.models import Import
from stepladder.people_import.tasks import apply_import, look_through_import, return_import
from stepladder.tabular import reading as import_files
from stepladder.tabular.reading import FileUnread, read_table
from tests import factories as f
from tests.reading import page_text

HEAD = "Employee number,First name,Last name,Unit,Position,Hire date,Last day,Licence class"
ROWS = [
    "MS1,Jun,Pellam,Dunlin,Deckhand,2024-01-08,,",
    "MS2,Ada,Venn,Dunlin,Bosun,2026-06-01,,B",
    "MS3,Zoë,Łukasik,Dunln,Deckhand,31/02/2026,,",
    "MS2,Bea,Marsh,Dunlin,Deckhand,2026-06-01,,",
]


@pytest.fixture
def ines(organisation, media, on):
    on("2026-05-14")
    f.a_unit("Knot")
    f.a_unit("Dunlin")
    f.a_position("Bosun")
    f.a_position("Deckhand")
    actions.add_field(name="Licence class", kind="choice", choices=["A", "B"], by=f.BY)
    return f.an_account("administrator")


def received(text, by, name="people.csv"):
    body = text if isinstance(text, bytes) else text.encode()
    return importing.receive_import(file_name=name, body=body, by=by)


def looked_through(text, by, missing=None):
    job = received(text, by)
    columns = [c["is"] for c in job.columns]
    importing.choose_columns(job=job, columns=columns, day_first=job.day_first, by=by, missing=missing)
    look_through_import.call(job_id=job.pk)
    job.refresh_from_db()
    return job


def carried_out(text, by, missing=None):
    job = looked_through(text, by, missing)
    importing.apply_import(job=job, by=by)
    apply_import.call(job_id=job.pk)
    job.refresh_from_db()
    return job


def taken_back(job, by):
    importing.return_import(job=job, by=by)
    return_import.call(job_id=job.pk)
    job.refresh_from_db()


def verdicts(job):
    return [(row.number, row.verdict) for row in job.rows.order_by("number")]


def test_a_file_is_looked_through_without_changing_anything(ines):
    job = looked_through("\n".join([HEAD, *ROWS]), ines)
    assert (job.state, job.done, job.total) == ("looked", 4, 4)
    assert verdicts(job) == [(2, "new"), (3, "new"), (4, "wrong"), (5, "wrong")]
    assert job.rows.get(number=4).messages == [
        "Unit: no unit “Dunln” is in the charts. Did you mean “Dunlin”?",
        "Hired on: “31/02/2026” is no day of the calendar. Write it like 1 Apr 2027.",
    ]
    assert job.rows.get(number=5).messages == ["Row 3 has the number MS2 already."]
    assert not Person.objects.exists()


def test_what_is_right_is_carried_out_and_the_second_time_nothing_changes(ines):
    job = carried_out("\n".join([HEAD, *ROWS]), ines)
    assert job.state == "done"
    ada = Person.objects.get(employee_number="MS2")
    assert [(p.unit.name, p.position.name, str(p.from_day)) for p in ada.placements.all()] == [
        ("Dunlin", "Bosun", "2026-06-01")
    ]
    assert FieldValue.objects.get(person=ada).value == "B"
    assert Entry.objects.get(verb="import_people").data == {"file": "people.csv", "said": "2 new"}
    count = Entry.objects.filter(verb="import_people").count()
    again = carried_out("\n".join([HEAD, *ROWS[:2]]), ines)
    assert verdicts(again) == [(2, "same"), (3, "same")]
    assert Entry.objects.filter(verb="import_people").count() == count
    assert list(problems()) == []


def test_changes_moves_and_endings_are_carried_out_as_facts(ines, on):
    carried_out("\n".join([HEAD, *ROWS[:2]]), ines)
    on("2026-07-01")
    text = [HEAD, "ms1,Jun,Pellam-Hale,Knot,,2024-01-08,,A", "MS2,,,,,,2026-08-31,A"]
    job = carried_out("\n".join(text), ines)
    assert [verdict for _, verdict in verdicts(job)] == ["changed", "ended"]
    jun, ada = Person.objects.order_by("employee_number")
    assert (jun.family_name, jun.employee_number) == ("Pellam-Hale", "MS1")
    known = [
        (p.unit.name, str(p.from_day), str(p.to_day))
        for p in Placement.objects.known_now().filter(person=jun).order_by("from_day")
    ]
    assert known == [("Dunlin", "2024-01-08", "2026-06-30"), ("Knot", "2026-07-01", "None")]
    assert str(Placement.objects.known_now().get(person=ada).to_day) == "2026-08-31"
    assert {v.value for v in FieldValue.objects.known_now()} == {"A"}
    assert list(problems()) == []


def test_an_import_is_taken_back_whole_and_can_be_carried_out_again(ines):
    job = carried_out("\n".join([HEAD, *ROWS[:2]]), ines)
    taken_back(job, ines)
    assert queries.find_people(day=f.d("2026-07-01")).count() == 0
    assert job.state == "returned"
    with pytest.raises(ImportUnready, match="Only an import that was carried out can be taken back"):
        importing.return_import(job=job, by=ines)
    assert [verdict for _, verdict in verdicts(carried_out("\n".join([HEAD, *ROWS[:2]]), ines))] == ["new", "new"]
    assert queries.find_people(day=f.d("2026-07-01")).count() == 2
    assert Person.objects.count() == 2
    assert list(problems()) == []


def test_an_import_on_which_something_depends_is_not_taken_back_at_all(ines):
    job = carried_out("\n".join([HEAD, *ROWS[:2]]), ines)
    actions.leave_organisation(person=Person.objects.get(employee_number="MS1"), left_on=f.d("2026-06-30"), by=ines)
    with pytest.raises(CannotTakeBack, match="Jun Pellam leaves with 30 Jun 2026 since: take that back first"):
        taken_back(job, ines)
    assert queries.find_people(day=f.d("2026-06-15")).count() == 2


def test_whoever_is_not_in_the_file_leaves_if_one_says_so_and_comes_back_with_the_import(ines):
    for number, unit in (("MS1", "Dunlin"), ("MS2", "Knot"), ("MS3", "Knot")):
        f.a_person(f"Person {number}", number=number, unit=unit)
    f.a_person("Out Sider", number="X1")
    Person.objects.filter(employee_number="X1").update(kind="outside")
    f.a_person("To Come", number="MS8", hired="2026-06-01")
    gone = f.a_person("Long Gone", number="MS9")
    actions.leave_organisation(person=gone, left_on=f.d("2025-12-31"), by=f.BY)
    file = "\n".join(["Employee number,First name,Last name", "ms1,Person,MS1"])
    assert verdicts(looked_through(file, ines)) == [(2, "same")]
    in_dunlin = looked_through(file, ines, importing.Missing(f.d("2026-05-13"), f.a_unit("Dunlin")))
    assert (verdicts(in_dunlin), in_dunlin.missing) == ([(2, "same")], 0)
    job = carried_out(file, ines, importing.Missing(f.d("2026-05-13")))
    assert (job.missing, job.done, job.to_do) == (2, 3, 3)
    assert [(row.cells, row.verdict, row.messages) for row in job.rows.filter(is_missing=True)] == [
        (["MS2", "Person", "MS2"], "ended", ["not in the file", "last day: 13 May 2026"]),
        (["MS3", "Person", "MS3"], "ended", ["not in the file", "last day: 13 May 2026"]),
    ]
    left = Employment.objects.known_now().filter(left_on=f.d("2026-05-13"))
    assert set(left.values_list("person__employee_number", flat=True)) == {"MS2", "MS3"}
    assert not Placement.objects.known_now().filter(person__employee_number="MS2", to_day=None).exists()
    # The same file again: whoever left has left.
    again = looked_through(file, ines, importing.Missing(f.d("2026-05-13")))
    assert verdicts(again) == [(2, "same")]
    taken_back(job, ines)
    assert Employment.objects.known_now().filter(left_on=None).count() == 5
    assert list(problems()) == []


def test_what_was_chosen_is_kept_where_the_choice_is_refused(ines, client):
    client.force_login(ines)
    job = received("\n".join([HEAD, *ROWS]), ines)
    url = reverse("people_import:columns", args=[job.public_id])
    chosen = {f"column-{n}": column["is"] for n, column in enumerate(job.columns)} | {"column-4": "", "days": "month"}
    for more, says in (
        ({"missing": "leave", "last_day": ""}, "Say their last day."),
        ({"missing": "stay", "column-0": ""}, "Say which column is the employee number"),
    ):
        answer = client.post(url, chosen | more)
        page = page_text(answer)
        assert answer.status_code == 422
        assert says in page
        assert '<option value="month" selected>' in page
        assert page.count("selected") >= len(chosen)
    job.refresh_from_db()
    assert job.state == "columns"
    client.post(url, chosen | {"missing": "leave", "last_day": "2026-05-13"})
    job.refresh_from_db()
    assert (job.state, job.missing_left_on) == ("looking", f.d("2026-05-13"))


def test_columns_that_were_left_out_are_named_where_rows_need_them(ines, client):
    client.force_login(ines)
    job = looked_through("Employee number,Vorname,Nachname\nMS7,Zoë,Lindqvist\n", ines)
    page = page_text(client.get(reverse("people_import:import", args=[job.public_id])))
    assert "Nothing to carry out: every row has a mistake." in page
    assert "Left out: Vorname, Nachname. If a row needs what stands there, say below what it is." in page
    assert '<details class="mt-2" open>' in page


def test_a_worker_that_was_stopped_goes_on_with_the_next_piece(ines, monkeypatch):
    monkeypatch.setattr(importing, "PIECE", 2)
    rows = [f"N{n},Given{n},Family{n},Dunlin,Deckhand,2026-06-01,," for n in range(5)]
    job = looked_through("\n".join([HEAD, *rows]), ines)
    importing.apply_import(job=job, by=ines)
    assert importing.apply_piece(job, by=ines)
    assert Person.objects.count() == 2
    job.refresh_from_db()
    assert (job.state, job.done) == ("applying", 2)
    # The queue runs the task once more: what is done is not done again.
    apply_import.call(job_id=job.pk)
    apply_import.call(job_id=job.pk)
    job.refresh_from_db()
    assert (job.state, job.done, Person.objects.count()) == ("done", 5, 5)
    assert Entry.objects.filter(verb="import_people").count() == 3


def test_what_became_otherwise_since_the_look_is_judged_anew(ines):
    job = looked_through("\n".join([HEAD, ROWS[0]]), ines)
    f.people.hire(
        employee_number="MS1", given_name="Jun", family_name="Pellam", hired_on=f.d("2024-01-08"), unit=f.a_unit("Dunlin"),
        position=f.a_position("Deckhand"), by=f.BY,
    )  # fmt: skip
    importing.apply_import(job=job, by=ines)
    apply_import.call(job_id=job.pk)
    assert job.rows.get().messages[0] == "it is otherwise than when the file was looked through"
    assert Person.objects.count() == 1


@pytest.mark.parametrize(
    "body",
    [
        "Number;Name\nMS1;Zoë Łukasik\nMS2;Ada Venn\n".encode("utf-8-sig"),
        "Number;Name\r\nMS1;Zoë Lukasik\r\nMS2;Ada Venn\r\n".encode("latin-1"),
        "Number;Name\r\nMS1;Zoë Lukasik\r\nMS2;Åse Nuñez-Ødegård\r\n".encode("mac_roman"),
        "Number;Name\r\nMS1;Зоя Петрова\r\nMS2;Ada Venn\r\n".encode("cp1251"),
        "Number\tName\nMS1\tZoë Łukasik\nMS2\tAda Venn\n".encode("utf-16"),
        'Number,Name\n\nMS1,"Łukasik, Zoë"\n,\nMS2,Ada Venn\n'.encode(),
    ],
    ids=["semicolons with a mark", "latin-1", "of a Mac", "Cyrillic", "utf-16 with tabs", "quotes and empty lines"],
)
def test_csv_is_read_in_whatever_coding_and_with_whatever_separator(tmp_path, body):
    path = tmp_path / "people.csv"
    path.write_bytes(body)
    table = read_table(path, "people.csv")
    assert (table.heads, len(table.rows)) == (["Number", "Name"], 2)
    assert "Zoë" in table.rows[0][1] or "Зоя Петрова" in table.rows[0][1]


def workbook(write, tmp_path):
    path = tmp_path / "people.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        write(book.add_worksheet(), book)
    return path


def test_a_workbook_is_read_with_its_days_and_numbers(tmp_path):
    def write(sheet, book):
        sheet.write_row(0, 0, ["Number", "Hired", "Cabin"])
        sheet.write_row(1, 0, ["007", None, 12])
        sheet.write_datetime(1, 1, f.d("2026-06-01"), book.add_format({"num_format": "dd/mm/yyyy"}))
        sheet.write_formula(2, 0, '="MS"&"8"', None, "MS8")

    table = read_table(workbook(write, tmp_path), "people.xlsx")
    assert table.rows == [["007", "2026-06-01", "12"], ["MS8", "", ""]]


@pytest.mark.parametrize(
    ("write", "says"),
    [
        (
            lambda sheet, _: (sheet.write(0, 0, "Number"), sheet.merge_range("B2:C2", "Dunlin")),
            "The cells B2:C2 are merged",
        ),
        (
            lambda sheet, _: (sheet.write_row(0, 0, ["Number"]), sheet.write_formula(1, 0, "=A9", None, "")),
            "The formula in A2 was never worked out",
        ),
    ],
)
def test_merged_cells_and_formulas_without_a_value_are_refused(tmp_path, write, says):
    with pytest.raises(FileUnread, match=says):
        read_table(workbook(write, tmp_path), "people.xlsx")


@pytest.mark.parametrize(
    ("body", "says"),
    [
        (b"", "The file is empty"),
        (b"Number,Name\n", "There is a head and no row below it"),
        (b"\x89PNG\r\n\x1a\n\x00\x00\x00", "is neither CSV nor XLSX"),
        (b"PK\x03\x04 no workbook", "This workbook cannot be opened"),
    ],
)
def test_files_that_are_no_table_are_kept_with_the_reason(ines, body, says):
    job = received(body, ines, "odd.xlsx")
    assert job.state == "refused"
    assert says in job.trouble


def test_columns_without_a_number_or_with_one_twice_cannot_be_looked_through(ines):
    job = received("\n".join([HEAD, *ROWS]), ines)
    columns = [c["is"] for c in job.columns]
    assert columns == [
        "number",
        "given",
        "family",
        "unit",
        "position",
        "hired",
        "left",
        f"field:{PersonField.objects.get().pk}",
    ]
    for wrong, says in (
        (["", *columns[1:]], "Say which column is the employee number"),
        ([*columns[:4], "unit", *columns[5:]], "Two columns are taken for the same thing"),
    ):
        with pytest.raises(ImportUnready, match=says):
            importing.choose_columns(job=job, columns=wrong, day_first=True, by=ines)
    with pytest.raises(ImportUnready, match="was not looked through"):
        importing.apply_import(job=job, by=ines)


def test_the_pages_lead_from_the_file_to_the_result(ines, client, django_capture_on_commit_callbacks):
    client.force_login(ines)
    sent = {"file": SimpleUploadedFile("people.csv", "\n".join([HEAD, *ROWS]).encode())}
    with django_capture_on_commit_callbacks(execute=True):
        page = page_text(client.post(reverse("people_import:imports"), sent, follow=True))
    assert "its head says so" in page
    job = Import.objects.get()
    chosen = {f"column-{n}": column["is"] for n, column in enumerate(job.columns)}
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("people_import:columns", args=[job.public_id]), chosen)
    url = reverse("people_import:import", args=[job.public_id])
    page = page_text(client.get(url))
    assert "Carry out 2 rows" in page
    assert "2 with mistakes stay out" in page
    assert "Did you mean “Dunlin”?" in page_text(client.get(url, {"show": "wrong"}))
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("people_import:apply", args=[job.public_id]))
    assert "carried out" in page_text(client.get(url))
    assert (
        client.get(reverse("people_import:file", args=[job.public_id]))
        .getvalue()
        .decode()
        .startswith("Employee number")
    )
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("people_import:back", args=[job.public_id]))
    assert "taken back" in page_text(client.get(url))
    assert page_text(client.get(reverse("people_import:imports"))).count("people.csv") == 1


def a_workbook(path, cells):
    with xlsxwriter.Workbook(path, {"constant_memory": True}) as book:
        sheet = book.add_worksheet()
        for row, column, text in cells:
            sheet.write(row, column, text)
    return path


def test_a_stray_cell_far_out_is_named_before_anything_is_unpacked(tmp_path):
    near = [(0, 0, "Employee number"), (0, 1, "First name"), (1, 0, "MS1"), (1, 1, "Jun")]
    path = a_workbook(tmp_path / "people.xlsx", [*near, (1_048_575, 16_383, "x")])
    with pytest.raises(FileUnread, match="something far out, in the cell XFD1048576"):
        read_table(path, path.name)
    assert read_table(a_workbook(path, near), path.name).rows == [["MS1", "Jun"]]


def test_what_unpacks_to_too_much_is_refused_unread(tmp_path, monkeypatch):
    path = a_workbook(
        tmp_path / "people.xlsx", [(0, 0, "Employee number"), *((n, 0, f"MS{n}") for n in range(1, 2000))]
    )
    monkeypatch.setattr(import_files, "MOST_UNPACKED", 20_000)
    with pytest.raises(FileUnread, match="unpacks to more than"):
        read_table(path, path.name)


def test_a_file_with_too_many_rows_or_columns_is_read_no_further(tmp_path):
    path = tmp_path / "people.csv"
    path.write_text("Employee number" + "," * 300 + "\nMS1\n")
    with pytest.raises(FileUnread, match="more than 200 columns"):
        read_table(path, path.name)
    path.write_text("Employee number\n" + "MS1\n" * 200_010)
    with pytest.raises(FileUnread, match="more than 200,000 rows"):
        read_table(path, path.name)


@pytest.mark.django_db(transaction=True)
def test_a_file_is_read_before_the_transaction(ines, client, monkeypatch):
    seen = []
    real = importing.read_table
    monkeypatch.setattr(
        importing, "read_table", lambda *at, **how: (seen.append(connection.in_atomic_block), real(*at, **how))[1]
    )
    client.force_login(ines)
    for _ in range(2):
        file = SimpleUploadedFile("people.csv", "\n".join([HEAD, *ROWS]).encode())
        client.post(reverse("people_import:imports"), {"file": file, "once": "the same form"})
    assert seen == [False, False]
    assert Import.objects.count() == len(list((importing.path_of(Import.objects.get()).parent).iterdir())) == 1


def test_a_files_e_mail_reaches_the_sign_in_unless_it_is_somebody_elses(ines, organisation):
    ada, bea = (f.a_person(name, number=number) for name, number in (("Ada Venn", "MS1"), ("Bea Marsh", "MS2")))
    accounts = [f.an_account("learner", name=p.name, person=p) for p in (ada, bea)]
    head = "Employee number,First name,Last name,E-mail"
    rows = ["MS1,Ada,Venn,ada@ferries.example", f"MS2,Bea,Marsh,{ines.email}"]
    job = carried_out("\n".join([head, *rows]), ines)
    for account in accounts:
        account.refresh_from_db()
    assert accounts[0].email == "ada@ferries.example"
    assert accounts[1].email != ines.email
    assert f"Somebody else signs in with {ines.email}" in str(job.rows.get(number=3).messages)


def test_what_another_system_calls_somebody_comes_with_the_file_and_means_one_person(ines):
    head = "Number,First name,Last name,Unit,Hire date,External ID"
    first = "\n".join([head, "MS1,Jun,Pellam,Dunlin,2026-01-01,p-1", "MS2,Ada,Venn,Dunlin,2026-01-01,p-1"])
    job = carried_out(first, ines)
    assert verdicts(job) == [(2, "new"), (3, "wrong")]
    assert job.rows.get(number=3).messages == ["Identifier elsewhere: row 2 has “p-1” already."]
    jun = Person.objects.get(employee_number="MS1")
    assert jun.outside_id == "p-1"
    again = "\n".join([head, "MS1,,,,,p-7", "MS2,Ada,Venn,Dunlin,2026-01-01,p-1"])
    job = looked_through(again, ines)
    assert job.rows.get(number=2).messages == ["identifier elsewhere: p-1 → p-7"]
    assert job.rows.get(number=3).messages == ["Identifier elsewhere: Jun Pellam (MS1) has “p-1” already."]
    # In the meantime somebody else got it: judged anew, the row stays out.
    f.a_person("Bea Marsh")
    Person.objects.filter(family_name="Marsh").update(outside_id="p-7")
    importing.apply_import(job=job, by=ines)
    apply_import.call(job_id=job.pk)
    assert job.rows.get(number=2).verdict == "wrong"
    jun.refresh_from_db()
    assert jun.outside_id == "p-1"
