from django.urls import path

from stepladder.outside import history_views, views

app_name = "outside"
urlpatterns = [
    path("people/<str:person>/new/", views.record, name="record"),
    path("new/", views.ask, name="ask"),
    path("files/", history_views.files, name="files"),
    path("files/sample.<str:kind>", history_views.sample, name="sample"),
    path("files/<str:public_id>/", history_views.file, name="file"),
    path("files/<str:public_id>/carry-out/", history_views.carry_out, name="carry_out"),
    path("", views.waiting, name="waiting"),
    path("<str:public_id>/", views.one, name="one"),
    path("<str:public_id>/withdraw/", views.withdraw, name="withdraw"),
    path("<str:public_id>/document/", views.document, name="document"),
]
