from django.urls import path

from stepladder.playing import views

app_name = "playing"
urlpatterns = [
    path("media/<str:token>/", views.show_media, name="media"),
    path("reports/<str:attempt>/", views.report, name="report"),
    path("try/<str:public_id>/", views.try_module, name="try_module"),
    path("<str:public_id>/", views.course, name="course"),
    path("<str:public_id>/<str:module>/", views.step, name="step"),
    path("<str:public_id>/<str:module>/again/", views.try_again, name="try_again"),
    path("<str:public_id>/<str:module>/outcome/", views.outcome, name="outcome"),
]
