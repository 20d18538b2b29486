from django.urls import path

from stepladder.desk import views

app_name = "desk"
urlpatterns = [
    path("", views.desk, name="desk"),
    path("team/", views.team, name="team"),
    path("next/", views.learner_page, name="up_next"),
    path("try/<str:public_id>/", views.try_course, name="try_course"),
]
