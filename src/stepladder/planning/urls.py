from django.urls import path

from stepladder.planning import views

app_name = "planning"
urlpatterns = [
    path("", views.plans, name="plans"),
    path("new/", views.new, name="new"),
    path("effect/", views.effect, name="effect"),
    path("<str:public_id>/", views.plan, name="plan"),
    path("<str:public_id>/change/", views.change, name="change"),
]
