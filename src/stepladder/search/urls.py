from django.urls import path

from stepladder.search import views

app_name = "search"
urlpatterns = [path("", views.results, name="results")]
