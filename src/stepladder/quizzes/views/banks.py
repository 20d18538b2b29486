"""Question banks: their lists, a question, and questions as text and as tables."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Q, QuerySet
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.finding import fold
from stepladder.core.numbers import whole_number
from stepladder.core.questions import BadQuestion, media_beside, problems_of, read_question, right_in_words
from stepladder.core.questions.plain_text import DIFFICULTIES, Filed, Read, read_text, write_text
from stepladder.core.questions.qti import write_package
from stepladder.core.questions.table_form import HEADS as TABLE_HEADS
from stepladder.core.questions.table_form import write_rows
from stepladder.core.questions.variants import BadFormula
from stepladder.journal import undoing
from stepladder.journal.queries import history
from stepladder.library import own_pictures
from stepladder.library.models import Binder, Module
from stepladder.library.queries import binders
from stepladder.quizzes import editing
from stepladder.quizzes.actions import banks as actions
from stepladder.quizzes.bringing import Brought, read_file
from stepladder.quizzes.forms import BankForm, NewBankForm, PasteForm
from stepladder.quizzes.models import Bank, KeptItem, Question
from stepladder.quizzes.views.finding import bank_for, binders_for, question_for
from stepladder.refusals import Refusal
from stepladder.tabular.responses import table_response
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by
from stepladder.writing.asking import show_question
from stepladder.writing.beside import played_for, versions_named
from stepladder.writing.queries import modules_to_show
from stepladder.writing.worths import worths_of

SORTS = {"asked": ("asked",), "kind": ("kind", "asked"), "topic": ("topic", "difficulty", "asked")}
HEADS = [("Question", "asked"), ("Kind", "kind"), ("Topic", "topic"), ("Difficulty", ""), ("Skill", "")]
MOST_FOUND = 200
# A page takes no more of what is written in it than this.
MOST_SHOWN = 1_000_000
QTI_FORMS = {"qti21": "2.1", "qti30": "3.0"}


def every(request: HttpRequest) -> HttpResponse:
    """The banks that one may change."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    rows = Bank.objects.filter(binder__in=mine).select_related("binder")
    rows = rows.annotate(count=Count("questions", filter=Q(questions__removed_at=None))).order_by("name", "pk")
    page = page_of(request, rows, [("Bank", ""), ("Binder", ""), ("Questions", "")])
    return render(request, "quizzes/banks.html", {"page": page, "binders": binders(request.user), "here": "library"})


def new_bank(request: HttpRequest) -> HttpResponse:
    """An empty bank, in a binder."""
    mine = binders_for(request)
    form = NewBankForm(request.POST or None, binders=mine, initial={"binder": request.GET.get("binder", "")})
    if form.is_bound and form.is_valid():
        said = dict(form.cleaned_data)
        binder = next(one for one in mine if one.public_id == said.pop("binder"))
        by = account_of(request)
        return act_once(
            request,
            lambda: reverse("quizzes:bank", args=[actions.create_bank(binder=binder, by=by, **said).public_id]),
        )
    context = {"form": form, "binders": binders(request.user), "here": "library"}
    return render(request, "quizzes/new_bank.html", context, status=422 if form.errors else 200)


def _filtered(request: HttpRequest, bank: Bank) -> QuerySet[Question]:
    rows = bank.questions.filter(removed_at__isnull=request.GET.get("state") != "removed")
    for name in ("topic", "difficulty", "kind"):
        if value := request.GET.get(name, "")[:80]:
            rows = rows.filter(**{name: value})
    for word in request.GET.get("q", "")[:200].split()[:6]:
        rows = rows.filter(Q(asked__icontains=word) | Q(topic__icontains=word) | Q(skill__icontains=word))
    return rows


def bank(request: HttpRequest, public_id: str) -> HttpResponse:
    """A bank with its questions."""
    found = bank_for(request, public_id)
    sort, order = sorted_by(request, SORTS, "topic")
    page = page_of(request, _filtered(request, found).order_by(*order, "pk"), HEADS, sort=sort)
    live = found.questions.filter(removed_at=None)
    context = {
        "bank": found,
        "form": BankForm(initial={"name": found.name, "note": found.note}),
        "page": page,
        "topics": list(live.exclude(topic="").values_list("topic", flat=True).distinct().order_by("topic")),
        "difficulties": DIFFICULTIES,
        "kinds": editing.KIND_WORDS,
        "count": live.count(),
        "kept_items": list(found.kept_items.defer("body")[:MOST_FOUND]),
        "removed": found.questions.exclude(removed_at=None).count(),
        "binders": binders(request.user),
        "history": history("bank", found.public_id),
        "here": "library",
    }
    return render(request, "quizzes/bank.html", context)


@require_POST
def edit_bank(request: HttpRequest, public_id: str) -> HttpResponse:
    found = bank_for(request, public_id)
    form, by = BankForm(request.POST), account_of(request)
    return save_sheet(
        request, form, found, lambda data, rev: actions.change_bank(bank=found, revision=rev, by=by, **data)
    )


@require_POST
def change_many(request: HttpRequest, public_id: str) -> HttpResponse:
    """Take the ticked questions out, or put them back."""
    found, by = bank_for(request, public_id), account_of(request)
    chosen = list(found.questions.filter(public_id__in=request.POST.getlist("chosen")))
    with undoing.watched() as watched:
        if request.POST.get("do") == "put back":
            count, words = actions.put_back_questions(bank=found, questions=chosen, by=by), "put back"
        else:
            count, words = actions.remove_questions(bank=found, questions=chosen, by=by), "taken out"
    if count:
        said = (
            f"{count} question{'s' if count != 1 else ''} {words}. Released quizzes ask what they were released with."
        )
        toasts.say(request, said, act=watched.act)
    else:
        toasts.trouble(request, "Nothing was changed. Tick some questions first.")
    return redirect("quizzes:bank", public_id=public_id)


def kept_item(request: HttpRequest, public_id: str) -> HttpResponse:
    """An item that is not asked here, as it came; `POST` drops it."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    items = KeptItem.objects.select_related("bank__binder").filter(bank__binder__in=mine)
    item = get_object_or_404(items, public_id=public_id)
    if request.method == "POST":
        actions.drop_item(item=item, by=account_of(request))
        toasts.say(request, f"“{item.title}” is not kept any more.")
        return redirect("quizzes:bank", public_id=item.bank.public_id)
    response = HttpResponse(item.body, content_type="application/octet-stream")
    response.headers["Content-Disposition"] = f'attachment; filename="item-{item.public_id}.xml"'
    return response


def new_question(request: HttpRequest, public_id: str) -> HttpResponse:
    """A question in a bank; `kind` says of which kind."""
    found = bank_for(request, public_id)
    if request.method == "POST":
        return _saved(request, found, None)
    kind = request.GET.get("kind", "one")
    raw = {"kind": kind if kind in editing.KIND_WORDS else "one"}
    about = {name: request.GET.get(name, "")[:80] for name in ("topic", "difficulty", "skill")}
    return _edit(request, found, None, raw, about)


def question(request: HttpRequest, public_id: str) -> HttpResponse:
    """A question, to be changed; released quizzes go on asking what they were released with."""
    found = question_for(request, public_id)
    assert found.newest is not None
    if request.method == "POST":
        return _saved(request, found.bank, found)
    about = {name: getattr(found, name) for name in ("topic", "difficulty", "skill")}
    return _edit(request, found.bank, found, found.newest.data, about)


def _about(request: HttpRequest) -> dict[str, str]:
    said = {name: request.POST.get(name, "").strip()[:80] for name in ("topic", "difficulty", "skill")}
    return said | {"difficulty": said["difficulty"] if said["difficulty"] in DIFFICULTIES else ""}


def _saved(request: HttpRequest, found: Bank, old: Question | None) -> HttpResponse:
    """Save what was sent; what is wrong with it is said beside it, and nothing that was written is lost."""
    raw, about, by = editing.question_sent(request.POST), _about(request), account_of(request)
    try:
        pictures = {
            name: own_pictures.keep_whole(sent, sent.name or "picture", sent.size or 0)[0]
            for name, sent in request.FILES.items()
            if not isinstance(sent, list)
        }
        raw = editing.question_sent(request.POST, pictures)
        if old is None:
            actions.add_questions(
                bank=found, questions=[Filed(raw, about["topic"], about["difficulty"], about["skill"])], by=by
            )
        else:
            was = whole_number(request.POST.get("was", ""))
            actions.word_question(question=old, raw=raw, was=was, by=by, **about)
    except Refusal as refusal:
        return _edit(request, found, old, raw, about, str(refusal))
    toasts.say(request, "The question is kept.")
    if request.POST.get("then") == "another":
        query = f"?kind={raw['kind']}&topic={about['topic']}&difficulty={about['difficulty']}"
        return redirect(reverse("quizzes:new_question", args=[found.public_id]) + query)
    return redirect("quizzes:bank", public_id=found.public_id)


def _edit(
    request: HttpRequest,
    found: Bank,
    old: Question | None,
    raw: dict[str, Any],
    about: dict[str, str],
    refusal: str = "",
) -> HttpResponse:
    live = found.questions.filter(removed_at=None)
    choices: list[dict[str, Any]] = list(raw.get("choices", ()))
    choices += [{} for _ in range(max(1, 4 - len(choices)))]
    pairs = list(raw.get("pairs", ()))
    context = {
        "bank": found,
        "old": old,
        "raw": raw,
        "about": about,
        "kinds": editing.KIND_WORDS,
        "difficulties": DIFFICULTIES,
        "topics": list(live.exclude(topic="").values_list("topic", flat=True).distinct().order_by("topic")),
        "skills": list(live.exclude(skill="").values_list("skill", flat=True).distinct().order_by("skill")),
        # Always one more than there are, and four to begin with.
        "choices": [
            {**one, "picture_name": f"choice_picture_{at}", "media_name": f"choice_media_{at}"}
            for at, one in enumerate(choices)
        ],
        "titles": {name: version.module.title for name, version in versions_named(media_beside(raw)).items()},
        "pairs": [*pairs, *({} for _ in range(max(1, 4 - len(pairs))))],
        "drawn": [*raw.get("drawn", ()), {}],
        "accepted": "\n".join(raw.get("accepted", ())),
        "refusal": refusal,
        "was": old.newest.number if old is not None and old.newest is not None else "",
        "wordings": list(old.wordings.order_by("-number")[1:10]) if old is not None else [],
        **_previewed(request, raw),
        "here": "library",
    }
    return render(request, "quizzes/question.html", context, status=422 if refusal else 200)


@require_POST
def preview(request: HttpRequest, public_id: str) -> HttpResponse:
    """A question as its learners will meet it, with what answers are worth, before it is saved."""
    bank_for(request, public_id)
    shown = _previewed(request, editing.question_sent(request.POST))
    return render(request, "quizzes/preview.html", shown)


def find_media(request: HttpRequest, public_id: str) -> HttpResponse:
    """Films and sound of the library that may stand beside a question, by words (`q`)."""
    bank_for(request, public_id)
    account, words = account_of(request), request.GET.get("q", "")[:200]
    found = [one for kind in ("video", "audio") for one in modules_to_show(account, kind, words)]
    return render(request, "writing/picked.html", {"found": found})


def _previewed(request: HttpRequest, raw: dict[str, Any]) -> dict[str, Any]:
    faults = editing.faults_in_words(raw)
    try:
        filled = editing.example(raw)
        read = read_question(filled)
        is_whole = not problems_of(read)
        usable = policy.visible(request.user, "use modules", Module.objects.all())
        play = played_for(account_of(request).pk, [raw], usable)
        shown = show_question(filled, "preview", "preview", play=play)
        worths = worths_of(raw) if is_whole else []
    except (BadQuestion, BadFormula):
        return {"faults": faults, "shown": None, "worths": [], "right": []}
    right = right_in_words(read) if is_whole else []
    return {
        "faults": faults,
        "shown": shown,
        "picture": editing.picture_row(read.picture),
        "worths": worths,
        "right": right,
    }


def paste(request: HttpRequest, public_id: str) -> HttpResponse:
    """Questions as text, or as a file: read and shown first, with every mistake by its line; then kept."""
    found, by = bank_for(request, public_id), account_of(request)
    form = PasteForm(request.POST or None, request.FILES or None)
    read: Read | None = None
    brought: Brought | None = None
    is_long = False
    if form.is_bound and form.is_valid():
        sent = form.cleaned_data["file"]
        try:
            brought = read_file(sent, sent.name) if sent else Brought(read_text(form.cleaned_data["text"]))
            read = brought.read
            if brought.kept:
                actions.keep_items(bank=found, items=brought.kept, by=by)
            if request.POST.get("do") == "keep" and read.questions:
                kept = read
                return act_once(request, lambda: _kept(request, found, kept, by))
            if sent and read.questions:
                # What a file says goes on as text: it is seen, mended, and kept from here.
                text = write_text(read.questions)
                is_long = len(text) > MOST_SHOWN
                form = PasteForm(initial={"text": "" if is_long else text})
        except Refusal as refusal:
            form.add_error("file" if sent else "text", str(refusal))
    context = {
        "bank": found,
        "form": form,
        "read": read,
        "brought": brought,
        "is_long": is_long,
        "shown": read.questions[:MOST_FOUND] if read else [],
        "kinds": editing.KIND_WORDS,
        "here": "library",
    }
    return render(request, "quizzes/paste.html", context, status=422 if form.errors else 200)


def _kept(request: HttpRequest, found: Bank, read: Read, by: Any) -> str:
    made = actions.add_questions(bank=found, questions=read.questions, by=by)
    count = len(read.mistakes)
    left = f" {count} mistake{'s were' if count != 1 else ' was'} left out." if count else ""
    toasts.say(request, f"{len(made)} question{'s are' if len(made) != 1 else ' is'} in the bank.{left}")
    return reverse("quizzes:bank", args=[found.public_id])


def take_out(request: HttpRequest, public_id: str, name: str) -> HttpResponseBase:
    """All questions of a bank as text or as a table; they have the right answers in them."""
    found = bank_for(request, public_id)
    rows = found.questions.filter(removed_at=None).select_related("newest").order_by("topic", "difficulty", "pk")
    questions = [Filed(row.newest.data, row.topic, row.difficulty, row.skill) for row in rows if row.newest]
    file_name = f"questions-{fold(found.name).replace(' ', '-')[:40]}".encode("ascii", "ignore").decode() or "questions"
    if name == "text":
        response = HttpResponse(write_text(questions), content_type="text/plain; charset=utf-8")
        response.headers["Content-Disposition"] = f'attachment; filename="{file_name}.txt"'
        return response
    if name in QTI_FORMS:
        kept = [body.encode() for body in found.kept_items.values_list("body", flat=True)]
        response = HttpResponse(write_package(questions, QTI_FORMS[name], kept), content_type="application/zip")
        response.headers["Content-Disposition"] = f'attachment; filename="{file_name}-{name}.zip"'
        return response
    if name not in ("csv", "xlsx"):
        raise Http404
    cells = write_rows(questions)
    about = [("Bank", found.name), ("Binder", found.binder.name)]
    return table_response(name, file_name, title=found.name, heads=list(TABLE_HEADS), pieces=iter([cells]), about=about)
