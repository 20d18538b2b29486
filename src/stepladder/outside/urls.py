from django.urls import path

from stepladder.outside import views

app_name = "outside"
urlpatterns = [
    path("people/<str:person>/new/", views.record, name="record"),
    path("new/", views.ask, name="ask"),
    path("", views.waiting, name="waiting"),
    path("<str:public_id>/", views.one, name="one"),
    path("<str:public_id>/withdraw/", views.withdraw, name="withdraw"),
    path("<str:public_id>/document/", views.document, name="document"),
]
