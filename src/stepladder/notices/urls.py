from django.urls import path

from stepladder.notices import views

app_name = "notices"
urlpatterns = [
    path("unsent/", views.unsent, name="unsent"),
    path("words/", views.wordings, name="wordings"),
    path("words/<str:kind>/", views.wording, name="wording"),
    path("words/<str:kind>/preview/", views.preview, name="preview"),
    path("unsent/again/", views.send_again, name="send_again"),
]
