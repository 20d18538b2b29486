from django.urls import path

from stepladder.charts import views

app_name = "charts"
urlpatterns = [
    path("", views.charts, name="charts"),
    path("new/", views.new_chart, name="new_chart"),
    path("<int:chart>/", views.chart, name="chart"),
    path("<int:chart>/rename/", views.rename_chart, name="rename_chart"),
    path("<int:chart>/new/", views.new_node, name="new_node"),
    path("<int:chart>/<str:node>/", views.node, name="node"),
    path("<int:chart>/<str:node>/move/", views.move_node, name="move_node"),
    path("<int:chart>/<str:node>/rename/", views.rename_node, name="rename_node"),
    path("<int:chart>/<str:node>/site/", views.site_node, name="site_node"),
    path("<int:chart>/<str:node>/close/", views.close_node, name="close_node"),
    path("<int:chart>/<str:node>/lock/", views.lock_node, name="lock_node"),
    path("<int:chart>/<str:node>/order/", views.order_nodes, name="order_nodes"),
]
