from django.urls import path

from stepladder.people import views

app_name = "people"
urlpatterns = [
    path("", views.people_list, name="list"),
    path("hire/", views.hire, name="hire"),
    path("charts/", views.charts, name="charts"),
    path("charts/<int:chart>/new/", views.new_node, name="new_node"),
    path("charts/<int:chart>/<str:node>/rename/", views.rename_node, name="rename_node"),
    path("<str:public_id>/", views.person, name="person"),
    path("<str:public_id>/edit/", views.edit, name="edit"),
    path("<str:public_id>/move/", views.move, name="move"),
    path("<str:public_id>/leave/", views.leave_organisation, name="leave_organisation"),
    path("<str:public_id>/placements/<str:placement>/end/", views.end_placement, name="end_placement"),
]
