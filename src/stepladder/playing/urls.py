from django.urls import path

from stepladder.playing import confirm_views, note_views, views

app_name = "playing"
urlpatterns = [
    path("media/<str:token>/", views.show_media, name="media"),
    path("reports/<str:attempt>/", views.report, name="report"),
    path("try/<str:public_id>/", views.try_module, name="try_module"),
    path("confirm/", confirm_views.to_confirm, name="to_confirm"),
    path("confirm/done/", confirm_views.confirm, name="confirm"),
    path("notes/", note_views.own, name="notes"),
    path("notes/my-notes.md", note_views.markdown, name="notes_file"),
    path("notes/<str:public_id>/", note_views.open_note, name="note"),
    path("notes/<str:public_id>/change/", note_views.change, name="change_note"),
    path("<str:public_id>/", views.course, name="course"),
    path("<str:public_id>/<str:module>/", views.step, name="step"),
    path("<str:public_id>/beside/<str:module>/", views.reference, name="reference"),
    path("<str:public_id>/<str:module>/notes/", note_views.write, name="write_note"),
    path("<str:public_id>/<str:module>/again/", views.try_again, name="try_again"),
    path("<str:public_id>/<str:module>/outcome/", views.outcome, name="outcome"),
]
