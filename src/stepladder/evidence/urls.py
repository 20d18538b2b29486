from django.urls import path

from stepladder.evidence import views

app_name = "evidence"
urlpatterns = [
    path("", views.packs, name="packs"),
    path("new/", views.new, name="new"),
    path("effect/", views.effect, name="effect"),
    path("<str:public_id>/", views.pack, name="pack"),
    path("<str:public_id>/file/", views.fetch, name="fetch"),
    path("<str:public_id>/again/", views.again, name="again"),
]
