from django.apps import AppConfig


class CoursesConfig(AppConfig):
    name = "stepladder.courses"
    label = "courses"
