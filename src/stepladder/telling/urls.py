from django.urls import path

from stepladder.telling import views

app_name = "telling"
urlpatterns = [
    path("", views.rules, name="rules"),
    path("begin/", views.begin, name="begin"),
    path("new/", views.new, name="new"),
    path("preview/", views.preview, name="preview"),
    path("quiet-days/", views.quiet, name="quiet"),
    path("<str:public_id>/", views.rule, name="rule"),
    path("<str:public_id>/end/", views.end, name="end"),
]
