from django.urls import path

from stepladder.standins import meeting_views, views

app_name = "standins"
urlpatterns = [
    path("mail/", views.tray, name="tray"),
    path("mail/<str:public_id>/", views.mail, name="mail"),
    path("meeting/<str:public_id>/", meeting_views.meeting, name="meeting"),
    path("meeting/<str:public_id>/join/", meeting_views.join, name="join"),
    path("meeting/<str:public_id>/leave/", meeting_views.leave, name="leave"),
    path("meeting/<str:public_id>/close/", meeting_views.hand_over, name="hand_over"),
    path("meeting/<str:public_id>/recording/", meeting_views.recording, name="recording"),
]
