from django.urls import path

from stepladder.standins import views

app_name = "standins"
urlpatterns = [
    path("mail/", views.tray, name="tray"),
    path("mail/<str:public_id>/", views.mail, name="mail"),
]
