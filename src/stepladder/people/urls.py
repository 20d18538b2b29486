from django.urls import path

from stepladder.people.views import fields, many, persons, position_roles, sign_ins

app_name = "people"
urlpatterns = [
    path("", persons.people_list, name="list"),
    path("hire/", persons.hire, name="hire"),
    path("fields/", fields.fields, name="fields"),
    path("fields/new/", fields.new_field, name="new_field"),
    path("fields/<str:public_id>/", fields.field, name="field"),
    path("many/<str:verb>/", many.many, name="many"),
    path("positions/<str:public_id>/roles/", position_roles.position_roles, name="position_roles"),
    path("find/", persons.find, name="find"),
    path("named/", persons.named, name="named"),
    path("<str:public_id>/", persons.person, name="person"),
    path("<str:public_id>/more/", fields.values, name="values"),
    path("<str:public_id>/sign-in/", sign_ins.person_sign_in, name="sign_in"),
    path("<str:public_id>/sign-in/roles/", sign_ins.roles, name="roles"),
    path("<str:public_id>/sign-in/lock/", sign_ins.lock, name="lock"),
    path("<str:public_id>/edit/", persons.edit, name="edit"),
    path("<str:public_id>/move/", persons.move, name="move"),
    path("<str:public_id>/first-day/", persons.first_day_of, name="first_day"),
    path("<str:public_id>/leave/", persons.leave_organisation, name="leave_organisation"),
    path("<str:public_id>/away/", persons.absence, name="absence"),
    path("<str:public_id>/away/<str:leave>/", persons.end_absence, name="end_absence"),
    path("<str:public_id>/placements/<str:placement>/end/", persons.end_placement, name="end_placement"),
]
