from django.urls import path

from stepladder.desk import views

app_name = "desk"
urlpatterns = [
    path("", views.desk, name="desk"),
    path("queue/", views.queue, name="queue"),
    path("queue/<uuid:key>/again/", views.run_again, name="run_again"),
    path("queue/<uuid:key>/away/", views.put_away, name="put_away"),
    path("team/", views.team, name="team"),
    path("next/", views.learner_page, name="up_next"),
    path("try/<str:public_id>/", views.try_course, name="try_course"),
    path("try/<str:public_id>/as/", views.try_as, name="try_as"),
]
