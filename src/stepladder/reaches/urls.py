from django.urls import path

from stepladder.reaches import views

app_name = "reaches"
urlpatterns = [
    path("reach/part/", views.reach_part, name="part"),
    path("reach/sentence/", views.reach_sentence, name="sentence"),
    path("groups/", views.groups, name="groups"),
    path("groups/new/", views.new_group, name="new_group"),
    path("groups/<str:public_id>/", views.group, name="group"),
]
