from django.apps import AppConfig


class QuizzesConfig(AppConfig):
    name = "stepladder.quizzes"
    label = "quizzes"
