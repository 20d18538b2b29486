from django.urls import path

from stepladder.desk import views

app_name = "desk"
urlpatterns = [path("", views.desk, name="desk")]
