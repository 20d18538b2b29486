from django.urls import path

from stepladder.keeping import views

app_name = "keeping"
urlpatterns = [
    path("", views.keeping, name="keeping"),
    path("effect/", views.effect, name="effect"),
    path("<str:public_id>/", views.person, name="person"),
]
