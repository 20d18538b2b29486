from stepladder.search import index
from tests import factories as f


def test_one_box_finds_people_modules_and_courses_by_the_beginnings_of_words(organisation):
    admin = f.an_account("administrator")
    f.a_person("Łucja Żółć")
    f.a_course("Mooring lines", [f.a_module("Lines under load")])
    index.rebuild()
    assert [(r.kind, r.title) for r in index.find(admin, "zol")] == [("person", "Łucja Żółć")]
    assert {(r.kind, r.title) for r in index.find(admin, "line")} == {
        ("module", "Lines under load"),
        ("course", "Mooring lines"),
    }
    assert index.find(admin, '" OR *') == []


def test_nobody_finds_what_they_may_not_see(organisation):
    owner, other, learner = f.an_account("author"), f.an_account("author"), f.an_account("learner")
    f.a_person("Jun Pellam")
    closed = f.a_binder("Yard", owner, is_shared=False)
    f.a_draft("Secret course", [f.a_module("Secret leaflet", binder=closed)], closed)
    index.rebuild()
    assert len(index.find(owner, "secret")) == 2
    assert index.find(other, "secret") == []
    assert index.find(learner, "secret pellam") == index.find(learner, "pellam") == []


def test_a_change_is_found_at_once(organisation):
    admin = f.an_account("administrator")
    f.a_person("Jun Pellam")
    assert [r.title for r in index.find(admin, "pell")] == ["Jun Pellam"]
