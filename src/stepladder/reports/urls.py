from django.urls import path

from stepladder.reports import own_views, views

app_name = "reports"
urlpatterns = [
    path("", views.every, name="all"),
    path("new/", views.new, name="new"),
    path("watched/", own_views.watched, name="watched"),
    path("skills/", own_views.skills, name="skills"),
    path("courses/", own_views.courses, name="courses"),
    path("paths/", own_views.paths, name="paths"),
    path("files/", views.ask_file, name="ask_file"),
    path("files/<str:public_id>/", views.file, name="file"),
    path("files/<str:public_id>/fetch/", views.fetch, name="fetch"),
    path("keep/", views.keep, name="keep"),
    path("ready/<slug:name>/", views.ready, name="ready"),
    path("ready/<slug:name>/block/", views.ready_block, name="ready_block"),
    path("kept/<str:public_id>/", views.kept, name="kept"),
    path("kept/<str:public_id>/block/", views.block, name="block"),
    path("kept/<str:public_id>/place/", views.place, name="place"),
    path("kept/<str:public_id>/send/", views.send, name="send"),
    path("kept/<str:public_id>/drop/", views.drop, name="drop"),
]
