"""Nobody ends, locks or writes to who holds more than they; what is in another part stays; the last administrator stays."""

import pytest
from django.core.exceptions import PermissionDenied
from django.urls import reverse

from stepladder.accounts import policy, sign_in
from stepladder.accounts.models import Account
from stepladder.accounts.sign_in import LastAdministrator
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack, take_back
from stepladder.people import actions as people
from stepladder.people.actions.position_roles import set_position_roles
from stepladder.people.actions.rank import holding_more
from stepladder.people.errors import HoldsMore, NobodyLeft, PlacedElsewhere, RoleOfPersonOnly
from stepladder.people.models import Employment, Placement
from stepladder.people_import import actions as importing
from tests import factories as f
from tests.reading import page_text

LAST = f.d("2026-05-20")


@pytest.fixture
def crew(organisation, media, on):
    """Ines, the only administrator, works on Dunlin; Dora administers Dunlin, where Jun is placed, who is on Knot too."""
    on("2026-05-14")
    ines, dora, jun = f.a_person("Ines Okoro"), f.a_person("Dora Holt"), f.a_person("Jun Pellam")
    f.a_unit("Yard", "Dunlin")
    people.move(person=jun, unit=f.a_unit("Knot"), position=None, from_day=f.d("2026-01-01"), ending=[], by=f.BY)
    admin = f.an_account("administrator", person=ines)
    part = f.an_account("unit administrator", person=dora, parts=(f.a_unit(),))
    return {"ines": ines, "dora": dora, "jun": jun, "admin": admin, "part": part}


def acts(crew):
    ines, by = crew["ines"], crew["part"]
    placement = Placement.objects.known_now().get(person=ines)
    return {
        "leave": lambda: people.leave_organisation(person=ines, left_on=LAST, by=by),
        "end": lambda: people.end_placement(placement=placement, to_day=LAST, by=by),
        "write to": lambda: people.edit_person(
            person=ines, revision=None, given_name="I", family_name="O", email="mine@x.example", outside_id=None, by=by
        ),
    }


@pytest.mark.parametrize("act", ["leave", "end", "write to"])
def test_a_unit_administrator_ends_no_administrator_nor_takes_over_their_address(crew, act):
    f.an_account("administrator")
    with pytest.raises(HoldsMore, match="Ines Okoro holds more than you do here"):
        acts(crew)[act]()
    assert Employment.objects.known_now().get(person=crew["ines"]).left_on is None


def test_among_many_they_are_passed_over_and_named(crew):
    chosen, by = [crew["ines"], crew["dora"]], crew["part"]
    done = people.leave_many(people=chosen, left_on=LAST, by=by)
    assert (done.count, done.passed_over) == (1, ["Ines Okoro holds more than you do here"])
    with pytest.raises(NobodyLeft, match="holds more than you do here"):
        people.invite_many(people=[crew["ines"]], by=by)


def test_what_somebody_is_in_another_part_is_not_ended_from_ones_own(crew):
    jun, by = crew["jun"], crew["part"]
    other = Placement.objects.known_now().get(person=jun, unit=f.a_unit("Knot"))
    with pytest.raises(PermissionDenied, match="outside the part that you administer"):
        people.end_placement(placement=other, to_day=LAST, by=by)
    with pytest.raises(PlacedElsewhere, match="Jun Pellam is placed in Knot too, outside your part"):
        people.leave_organisation(person=jun, left_on=LAST, by=by)
    with pytest.raises(NobodyLeft, match="Jun Pellam is placed outside your part too"):
        people.leave_many(people=[jun], left_on=LAST, by=by)
    people.move_many(
        people=[jun],
        unit=f.a_unit("Yard"),
        position=None,
        keeps_position=True,
        from_day=f.d("2026-06-01"),
        ends_present=True,
        by=by,
    )
    open_now = Placement.objects.known_now().filter(person=jun, to_day=None)
    assert {placement.unit.name for placement in open_now} == {"Knot", "Yard"}


def test_the_last_administrator_does_not_leave(crew):
    ines, by = crew["ines"], crew["admin"]
    with pytest.raises(LastAdministrator, match="This is the last administrator"):
        people.leave_organisation(person=ines, left_on=LAST, by=by)
    with pytest.raises(LastAdministrator):
        people.leave_many(people=[ines, crew["dora"]], left_on=LAST, by=by)
    assert Employment.objects.known_now().filter(left_on__isnull=False).count() == 0
    f.an_account("administrator")
    people.leave_organisation(person=ines, left_on=LAST, by=by)


def test_nor_by_an_import_nor_by_taking_back(crew):
    ines, by = crew["ines"], crew["admin"]
    body = f"Number,Last day\n{ines.employee_number},2026-05-13\n{crew['dora'].employee_number},2026-05-13\n".encode()
    job = importing.receive_import(file_name="a.csv", body=body, by=by)
    importing.choose_columns(job=job, columns=["number", "left"], day_first=True, by=by)
    importing.look_through(job)
    job.refresh_from_db()
    importing.apply_import(job=job, by=by)
    importing.apply_piece(job, by=by)
    rows = {row.cells[0]: (row.verdict, row.messages[-1]) for row in job.rows.all()}
    assert rows[ines.employee_number] == ("wrong", "This is the last administrator. Make somebody else one first.")
    assert [e.person_id for e in Employment.objects.known_now().filter(left_on__isnull=False)] == [crew["dora"].pk]
    hired = Entry.objects.get(verb="hire", object_id=ines.public_id)
    with pytest.raises(CannotTakeBack, match="This is the last administrator"):
        take_back(hired, by=f.BY)


def test_a_lock_by_hand_outlives_leaving_and_coming_back(crew):
    """An administrator had locked it: recording a leave and taking it back used to open it again."""
    jun = crew["jun"]
    account = f.an_account("learner", person=jun)
    sign_in.lock_account(account=account, by=crew["admin"])
    people.leave_organisation(person=jun, left_on=f.d("2026-05-10"), by=crew["admin"])
    take_back(Entry.objects.get(verb="leave_organisation"), by=crew["admin"])
    account = Account.objects.get(pk=account.pk)
    assert (account.is_locked, account.has_left, account.is_active) == (True, False, False)
    sign_in.unlock_account(account=account, by=crew["admin"])
    assert Account.objects.get(pk=account.pk).is_active
    assert list(problems()) == []


def test_a_role_comes_with_a_position_and_goes_with_it(crew, client, on):
    bosun, jun = f.a_position("Bosun"), crew["jun"]
    account = f.an_account("learner", person=jun)
    people.move(person=jun, unit=f.a_unit(), position=bosun, from_day=LAST, ending=[], by=f.BY)

    def may(verb="change courses"):
        return bool(policy.may(Account.objects.get(pk=account.pk), verb))

    client.force_login(crew["admin"])
    sheet = reverse("people:position_roles", args=[bosun.public_id])
    on("2026-05-20")
    assert "placed in it: author from now on" in page_text(client.post(sheet, {"roles": "author", "effect": "1"}))
    assert client.post(sheet, {"roles": ["author"]}, follow=True).status_code == 200
    assert "Author" in page_text(client.get(reverse("charts:node", args=[bosun.chart_id, bosun.public_id])))
    assert "By their position: <b>Author</b>" in page_text(client.get(reverse("people:sign_in", args=[jun.public_id])))
    assert may()
    # Before the placement began, after it ended, and without the role: no author.
    on("2026-05-19")
    assert not may()
    on("2026-06-01")
    people.end_placement(placement=Placement.objects.known_now().get(position=bosun), to_day=f.d("2026-06-10"), by=f.BY)
    on("2026-06-11")
    assert not may()
    on("2026-06-01")
    act = Entry.objects.get(verb="set_position_roles")
    take_back(act, by=f.BY)
    assert not may()
    with pytest.raises(RoleOfPersonOnly):
        set_position_roles(position=bosun, roles=["administrator"], by=f.BY)


def test_who_holds_more_by_their_position_is_not_ended_by_who_holds_less(crew):
    set_position_roles(position=f.a_position("Master"), roles=["auditor"], by=f.BY)
    mara = f.a_person("Mara Venn", position="Master")
    f.an_account("learner", person=mara)
    clerk = f.an_account("author", person=f.a_person("Cleo Marsh"))
    assert holding_more(clerk, [mara]) == {mara.pk}
