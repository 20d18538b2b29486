from django.apps import AppConfig


class TimetableConfig(AppConfig):
    name = "stepladder.timetable"
    label = "timetable"
