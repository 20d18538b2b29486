from django.urls import path

from stepladder.sources import views

app_name = "sources"
urlpatterns = [
    path("", views.sources, name="sources"),
    path("new/", views.new_source, name="new"),
    path("<str:public_id>/", views.source, name="source"),
    path("<str:public_id>/edit/", views.edit_source, name="edit"),
    path("<str:public_id>/turn/", views.turn_source, name="turn"),
    path("<str:public_id>/picture/", views.source_picture, name="picture"),
    path("of/<str:public_id>/<str:detail>/", views.give_back, name="give_back"),
]
