from django.urls import path

from stepladder.messaging import views

app_name = "messaging"
urlpatterns = [
    path("", views.written, name="written"),
    path("write/", views.write, name="write"),
    path("answers/", views.answers, name="answers"),
    path("with/<str:public_id>/", views.thread, name="thread"),
    path("with/<str:public_id>/answer/", views.answer, name="answer"),
    path("with/<str:public_id>/put-away/", views.put_away, name="put_away"),
    path("<str:public_id>/", views.message, name="message"),
]
