"""Question banks, quizzes as they are written and as they were released, and what people answered."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from django.conf import settings
from django.db import models

from stepladder.core.quizzes import Plan, kept
from stepladder.identity import new_public_id
from stepladder.learning.models import Attempt, ShareField
from stepladder.library.models import Binder, Module, ModuleVersion, StoredFile
from stepladder.people.models import Person
from stepladder.web.models import Sheet

__all__ = [
    "Allowed",
    "Answer",
    "AnswerFile",
    "Bank",
    "KeptItem",
    "Marking",
    "Paper",
    "PoolEntry",
    "Question",
    "Quiz",
    "QuizVersion",
    "Wording",
    "WordingMedia",
]


class Bank(Sheet):
    """Questions that quizzes draw from, in a binder: whoever edits the binder writes them."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="banks")
    name = models.CharField(max_length=160)
    note = models.TextField(blank=True)

    class Meta:
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name


class Question(models.Model):
    """A question of a bank, by what it is about. What it says is its newest wording; taken out, it can be put back."""

    class Difficulty(models.TextChoices):
        EASY = "easy", "easy"
        MEDIUM = "medium", "medium"
        HARD = "hard", "hard"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    bank = models.ForeignKey(Bank, on_delete=models.CASCADE, related_name="questions")
    topic = models.CharField(max_length=80, blank=True)
    difficulty = models.CharField(max_length=10, choices=Difficulty.choices, blank=True)
    skill = models.CharField(max_length=80, blank=True)
    # Of the newest wording, for lists and draws.
    kind = models.CharField(max_length=12)
    asked = models.TextField(blank=True)
    newest = models.ForeignKey("Wording", on_delete=models.PROTECT, null=True, related_name="+")
    removed_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("pk",)
        indexes = (models.Index(fields=["bank", "removed_at", "topic", "difficulty"], name="question_by_topic"),)

    def __str__(self) -> str:
        return self.asked[:80]


class Wording(models.Model):
    """What a question said at a time (core.questions, in its JSON form), never changed after: attempts were asked this one.

    *key_from*: its key was wrong, and that of this later wording of the same question holds for it instead.
    """

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    question = models.ForeignKey(Question, on_delete=models.CASCADE, related_name="wordings")
    number = models.PositiveIntegerField()
    data = models.JSONField()
    made_at = models.DateTimeField()
    made_by = models.CharField(max_length=200)
    key_from = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=["question", "number"], name="wording_number_once"),)

    def __str__(self) -> str:
        return f"{self.question_id}, wording {self.number}"

    @property
    def holding(self) -> dict[str, Any]:
        """What it is judged by: its own data, or that whose key holds for it."""
        data: dict[str, Any] = self.key_from.data if self.key_from is not None else self.data
        return data


class WordingMedia(models.Model):
    """That a film or sound of the library is played beside a wording: it is not to be deleted under it."""

    wording = models.ForeignKey(Wording, on_delete=models.CASCADE, related_name="media")
    version = models.ForeignKey(ModuleVersion, on_delete=models.PROTECT, related_name="beside_questions")

    class Meta:
        verbose_name_plural = "wording media"
        constraints = (models.UniqueConstraint(fields=["wording", "version"], name="wording_plays_it_once"),)

    def __str__(self) -> str:
        return f"{self.wording_id} plays {self.version_id}"


def _empty_plan() -> dict[str, Any]:
    return kept(Plan())


class KeptItem(models.Model):
    """An item that came in with others and is of a kind that is not asked here: kept as it came, and given out with the others."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    bank = models.ForeignKey(Bank, on_delete=models.CASCADE, related_name="kept_items")
    title = models.CharField(max_length=200)
    # What it has that is not asked here: "hotspotInteraction".
    unknown = models.CharField(max_length=200)
    body = models.TextField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.title


class Quiz(Sheet):
    """A module that is a quiz: its draft. What people are asked is its versions (QuizVersion)."""

    module = models.OneToOneField(Module, on_delete=models.CASCADE, related_name="quiz")
    # core.quizzes.Plan
    plan = models.JSONField(default=_empty_plan)
    has_changes = models.BooleanField(default=True)

    class Meta:
        verbose_name_plural = "quizzes"

    def __str__(self) -> str:
        return f"quiz {self.module_id}"


class QuizVersion(models.Model):
    """A version of a quiz: its plan as it was released, with the wordings that each pick may be of (PoolEntry)."""

    version = models.OneToOneField(ModuleVersion, on_delete=models.CASCADE, related_name="quiz")
    plan = models.JSONField()

    def __str__(self) -> str:
        return f"quiz of version {self.version_id}"


class PoolEntry(models.Model):
    """That a released quiz may ask a wording, at a pick of its plan."""

    quiz = models.ForeignKey(QuizVersion, on_delete=models.CASCADE, related_name="pool")
    section = models.PositiveSmallIntegerField()
    place = models.PositiveSmallIntegerField()
    wording = models.ForeignKey(Wording, on_delete=models.PROTECT, related_name="in_pools")

    class Meta:
        verbose_name_plural = "pool entries"
        constraints = (models.UniqueConstraint(fields=["quiz", "section", "place", "wording"], name="once_in_a_pool"),)

    def __str__(self) -> str:
        return f"{self.quiz_id}, {self.section}.{self.place}: {self.wording_id}"


class Paper(models.Model):
    """The questions that somebody got in an attempt, and its time on the server's clock. Handed in, nothing is answered any more."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    attempt = models.OneToOneField(Attempt, on_delete=models.PROTECT, related_name="paper")
    quiz = models.ForeignKey(QuizVersion, on_delete=models.PROTECT, related_name="papers")
    begun_at = models.DateTimeField()
    # None: no limit.
    ends_at = models.DateTimeField(null=True, blank=True)
    # What somebody was allowed beyond what all are, as it was when the attempt was begun: reports tell it.
    extra_time = models.PositiveSmallIntegerField(default=0)
    handed_in_at = models.DateTimeField(null=True, blank=True)
    # Whether it was taken from the table because its time was up.
    ran_out = models.BooleanField(default=False)
    is_marked_twice = models.BooleanField(default=False)
    score = ShareField()
    has_passed = models.BooleanField(null=True)

    class Meta:
        indexes = (models.Index(fields=["handed_in_at", "ends_at"], name="papers_under_way"),)

    def __str__(self) -> str:
        return f"paper of {self.attempt_id}"


class Answer(models.Model):
    """A question on a paper and what was answered to it, as it was sent. *share* is what it is worth; None: not said yet."""

    paper = models.ForeignKey(Paper, on_delete=models.CASCADE, related_name="answers")
    place = models.PositiveSmallIntegerField()
    section = models.PositiveSmallIntegerField()
    points = models.PositiveSmallIntegerField()
    wording = models.ForeignKey(Wording, on_delete=models.PROTECT, related_name="answers")
    # The numbers that were drawn, exactly, by name.
    drawn = models.JSONField(default=dict)
    given = models.JSONField(null=True)
    # Handed in: what that means of the wording, whatever the order was in which it was shown (core.questions.Given).
    chosen = models.JSONField(null=True)
    # To come back to.
    is_set_aside = models.BooleanField(default=False)
    # Grows with each change, so that two tabs do not overwrite each other unseen.
    revision = models.PositiveIntegerField(default=0)
    # In which tab it was saved last.
    tab = models.CharField(max_length=20, blank=True)
    saved_at = models.DateTimeField(null=True, blank=True)
    share = ShareField()
    # What a marker says to whoever answered.
    note = models.TextField(blank=True)

    class Meta:
        ordering = ("place",)
        constraints = (models.UniqueConstraint(fields=["paper", "place"], name="answer_place_once"),)
        indexes = (models.Index(fields=["wording", "paper"], name="answers_to_a_wording"),)

    def __str__(self) -> str:
        return f"{self.paper_id}, {self.place}"


class AnswerFile(models.Model):
    """A file that was given as an answer."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    answer = models.ForeignKey(Answer, on_delete=models.CASCADE, related_name="files")
    stored = models.ForeignKey(StoredFile, on_delete=models.PROTECT, related_name="in_answers")
    name = models.CharField(max_length=255)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class Marking(models.Model):
    """What a marker gave an answer, in whole points. Of two who mark blind neither sees the other's; a moderator settles."""

    class Role(models.TextChoices):
        FIRST = "first", "first"
        SECOND = "second", "second"
        MODERATOR = "moderator", "moderator"

    answer = models.ForeignKey(Answer, on_delete=models.CASCADE, related_name="markings")
    role = models.CharField(max_length=10, choices=Role.choices)
    points = models.PositiveSmallIntegerField()
    note = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    by_name = models.CharField(max_length=200)
    at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["answer", "role"], name="marked_once_in_a_role"),)

    def __str__(self) -> str:
        return f"{self.answer_id}: {self.points} by {self.by_name}"

    @property
    def share(self) -> Fraction:
        return Fraction(self.points, self.answer.points)


class Allowed(models.Model):
    """What somebody is allowed in quizzes beyond what all are, and why: more time, more attempts. *module* None: in every quiz."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="allowed_in_quizzes")
    module = models.ForeignKey(Module, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    extra_time = models.PositiveSmallIntegerField(default=0)
    extra_attempts = models.PositiveSmallIntegerField(default=0)
    because = models.CharField(max_length=300)
    by_name = models.CharField(max_length=200)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "allowed"

    def __str__(self) -> str:
        return f"{self.person_id}: {self.extra_time} % more time, {self.extra_attempts} more attempts"
