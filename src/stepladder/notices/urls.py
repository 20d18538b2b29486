from django.urls import path

from stepladder.notices import views

app_name = "notices"
urlpatterns = [
    path("unsent/", views.unsent, name="unsent"),
    path("unsent/again/", views.send_again, name="send_again"),
]
