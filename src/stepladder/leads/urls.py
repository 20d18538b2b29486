from django.urls import path

from stepladder.leads import views

app_name = "leads"
urlpatterns = [
    path("", views.leads, name="leads"),
    path("new/", views.new_lead, name="new_lead"),
    path("many/", views.lead_many, name="lead_many"),
    path("nobody/", views.gaps, name="gaps"),
    path("<str:lead>/end/", views.end_lead, name="end_lead"),
]
