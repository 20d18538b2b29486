from django.urls import path

from stepladder.records import completion_views, journal_views, period_views, skill_views, views, watched_views

app_name = "records"
urlpatterns = [
    path("journal/", journal_views.journal, name="journal"),
    path("journal/<int:number>/", journal_views.entry, name="entry"),
    path("journal/<int:number>/back/", journal_views.take_back, name="take_back"),
    path("skills/<str:skill>/", skill_views.skill, name="skill"),
    path("watched/<str:module>/", watched_views.watched, name="watched"),
    path("", views.board, name="board"),
    path("at/<str:unit>/<str:course>/", views.at, name="at"),
    path("cell/", views.cell, name="cell"),
    path("late/", views.late, name="late"),
    path("standing/", views.status_list, name="standing"),
    path("remind/", views.remind, name="remind"),
    path("done/", period_views.period, name="period"),
    path("people/<str:person>/certificates.pdf", completion_views.every_certificate, name="certificates"),
    path("people/<str:person>/transcript.<str:kind>", views.transcript, name="transcript"),
    path("mine/", views.own_record, name="own"),
    path("people/<str:person>/", views.record, name="record"),
    path("people/<str:person>/<str:course>/", views.why, name="why"),
    path("certificates/<str:public_id>/", completion_views.certificate, name="certificate"),
    path("completions/<str:public_id>/correct/", completion_views.correct, name="correct"),
    path("completions/<str:public_id>/revoke/", completion_views.revoke, name="revoke"),
    path("check/", completion_views.check, name="check_any"),
    path("check/<str:number>/", completion_views.check, name="check"),
]
