"""The journal's head goes daily to who keeps it, and stands on the Journal sheet."""

from django.core import mail
from django.urls import reverse

from stepladder.journal.chain import head
from stepladder.records.tasks import send_head
from tests import factories as f


def test_who_may_read_the_journal_gets_its_head_if_they_want_it(organisation, client, on):
    on("2026-05-14")
    auditor, learner = f.an_account("auditor"), f.an_account("learner")
    for account in (auditor, learner):
        client.force_login(account)
        page = client.get(reverse("accounts:settings")).content.decode()
        assert ("journal’s head" in page) == (account == auditor)
        client.post(reverse("accounts:settings"), {"theme": "auto", "single_keys": "on", "wants_journal_head": "on"})
        account.refresh_from_db()
    assert (auditor.wants_journal_head, learner.wants_journal_head) == (True, False)
    send_head.call()
    (message,) = mail.outbox
    assert message.to == [auditor.email]
    assert f"./ladder verify --expect {head()}" in message.body
    assert message.subject == f"The journal on 14 May 2026: entry {head().number}"
    auditor.grants.all().delete()
    send_head.call()
    assert len(mail.outbox) == 1


def test_the_head_stands_on_the_sheet_and_what_follows_by_itself_is_found_by_its_act(organisation, client):
    client.force_login(f.an_account("auditor"))
    page = client.get(reverse("records:journal"))
    assert head().digest in page.content.decode()
    assert ("write", "write") in page.context["verbs"]
