from django.urls import path

from stepladder.assignments import views

app_name = "assignments"
urlpatterns = [
    path("", views.assignment_list, name="list"),
    path("new/", views.new, name="new"),
    path("new/for/", views.new_for, name="new_for"),
    path("new/effect/", views.effect, name="effect"),
    path("waivers/<str:public_id>/revoke/", views.revoke_waiver, name="revoke_waiver"),
    path("people/<str:person>/waive/", views.waive, name="waive"),
    path("<str:public_id>/", views.assignment, name="assignment"),
    path("<str:public_id>/year/", views.year, name="year"),
    path("<str:public_id>/change/", views.change, name="change"),
    path("<str:public_id>/end/", views.end, name="end"),
]
