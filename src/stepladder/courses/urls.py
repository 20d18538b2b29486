from django.urls import path

from stepladder.courses import views

app_name = "courses"
urlpatterns = [
    path("", views.course_list, name="list"),
    path("new/", views.new, name="new"),
    path("<str:public_id>/", views.course, name="course"),
    path("<str:public_id>/edit/", views.edit, name="edit"),
    path("<str:public_id>/terms/", views.terms, name="terms"),
    path("<str:public_id>/relations/", views.prerequisites, name="prerequisites"),
    path("<str:public_id>/pick/", views.pick, name="pick"),
    path("<str:public_id>/steps/", views.add_steps, name="add_steps"),
    path("<str:public_id>/steps/order/", views.order_steps, name="order_steps"),
    path("<str:public_id>/steps/<int:step>/", views.edit_step, name="edit_step"),
    path("<str:public_id>/steps/<int:step>/remove/", views.remove_step, name="remove_step"),
    path("<str:public_id>/release/", views.release, name="release"),
    path("<str:public_id>/release/effect/", views.release_effect, name="release_effect"),
    path("<str:public_id>/withdraw/", views.withdraw, name="withdraw"),
    path("<str:public_id>/new-edition/", views.new_edition, name="new_edition"),
    path("<str:public_id>/discard/", views.discard, name="discard"),
]
