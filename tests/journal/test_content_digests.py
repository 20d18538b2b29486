"""The digests of entries that are kept in a file: the same as reckoned from the entries, or not used."""

from types import SimpleNamespace

import pytest

from stepladder.journal import content_digests as kept
from stepladder.journal.chain import content_digest
from stepladder.journal.models import Entry
from tests import factories as f


@pytest.fixture
def journal(organisation, settings, tmp_path, monkeypatch, on):
    """However few there are they are kept, as outside of any transaction."""
    settings.DATA_DIR = tmp_path
    monkeypatch.setattr(kept, "WORTH_KEEPING", 0)
    monkeypatch.setattr(kept, "connection", SimpleNamespace(in_atomic_block=False))
    on("2026-05-14")
    f.a_person("Jun Pellam")
    return tmp_path / "journal-digests.bin"


def of_entries():
    return [content_digest(entry) for entry in Entry.objects.order_by("number")]


def read():
    return list(kept.content_digests(Entry.objects.count()))


def test_they_are_added_to_and_read_no_further_than_asked(journal, monkeypatch):
    assert read() == of_entries()
    assert journal.stat().st_size == 32 * Entry.objects.count()
    f.a_person("Ada Venn")
    with monkeypatch.context() as patch:
        # What is kept is not reckoned again.
        seen = []
        patch.setattr(kept, "content_digest", lambda entry: (seen.append(entry.number), content_digest(entry))[1])
        assert read() == of_entries()
        assert seen == list(range(Entry.objects.count() - len(seen) + 1, Entry.objects.count() + 1))
        assert read() == of_entries()
        assert 0 < len(seen) < Entry.objects.count()
    assert list(kept.content_digests(2)) == of_entries()[:2]
    kept.keep_digests()
    assert journal.stat().st_size == 32 * Entry.objects.count()


@pytest.mark.parametrize("harm", ["other bytes", "cut", "another journal", "no file"])
def test_what_is_not_of_this_journal_is_not_used(journal, harm):
    read()
    if harm == "other bytes":
        journal.write_bytes(b"\1" * journal.stat().st_size)
    elif harm == "cut":
        journal.write_bytes(journal.read_bytes()[:-5])
    elif harm == "another journal":
        Entry.objects.filter(number=Entry.objects.count()).update(digest="f" * 64)
    else:
        journal.unlink()
        journal.mkdir()
    assert read() == of_entries()
    if harm == "cut":
        assert journal.stat().st_size == 32 * Entry.objects.count()


def test_an_entry_that_is_changed_is_still_told_from_what_was_chained(journal):
    """Beside its words stands the digest that was chained, as a pack shows it."""
    before = read()
    Entry.objects.filter(number=1).update(actor_name="Somebody else")
    assert read() == before != of_entries()
