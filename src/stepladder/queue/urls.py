from django.urls import path

from stepladder.queue import views

app_name = "queue"
urlpatterns = [path("<str:kind>/<str:public_id>/", views.under_way, name="under_way")]
