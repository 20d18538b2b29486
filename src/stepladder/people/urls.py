from django.urls import path

from stepladder.people.views import charts, groups, leads, persons

app_name = "people"
urlpatterns = [
    path("", persons.people_list, name="list"),
    path("hire/", persons.hire, name="hire"),
    path("find/", persons.find, name="find"),
    path("reach/part/", persons.reach_part, name="reach_part"),
    path("charts/", charts.charts, name="charts"),
    path("charts/new/", charts.new_chart, name="new_chart"),
    path("charts/<int:chart>/", charts.chart, name="chart"),
    path("charts/<int:chart>/rename/", charts.rename_chart, name="rename_chart"),
    path("charts/<int:chart>/new/", charts.new_node, name="new_node"),
    path("charts/<int:chart>/<str:node>/", charts.node, name="node"),
    path("charts/<int:chart>/<str:node>/move/", charts.move_node, name="move_node"),
    path("charts/<int:chart>/<str:node>/rename/", charts.rename_node, name="rename_node"),
    path("charts/<int:chart>/<str:node>/site/", charts.site_node, name="site_node"),
    path("charts/<int:chart>/<str:node>/close/", charts.close_node, name="close_node"),
    path("charts/<int:chart>/<str:node>/lock/", charts.lock_node, name="lock_node"),
    path("charts/<int:chart>/<str:node>/order/", charts.order_nodes, name="order_nodes"),
    path("leads/", leads.leads, name="leads"),
    path("leads/new/", leads.new_lead, name="new_lead"),
    path("leads/nobody/", leads.gaps, name="gaps"),
    path("leads/<str:lead>/end/", leads.end_lead, name="end_lead"),
    path("groups/", groups.groups, name="groups"),
    path("groups/new/", groups.new_group, name="new_group"),
    path("groups/<str:public_id>/", groups.group, name="group"),
    path("<str:public_id>/", persons.person, name="person"),
    path("<str:public_id>/edit/", persons.edit, name="edit"),
    path("<str:public_id>/move/", persons.move, name="move"),
    path("<str:public_id>/leave/", persons.leave_organisation, name="leave_organisation"),
    path("<str:public_id>/away/", persons.absence, name="absence"),
    path("<str:public_id>/away/<str:leave>/", persons.end_absence, name="end_absence"),
    path("<str:public_id>/placements/<str:placement>/end/", persons.end_placement, name="end_placement"),
]
