from django.urls import path

from stepladder.courses import path_views, picture_views, reference_views, replacing_views, views

app_name = "courses"
urlpatterns = [
    path("", views.course_list, name="list"),
    path("new/", views.new, name="new"),
    path("paths/", path_views.path_list, name="paths"),
    path("paths/new/", path_views.new, name="new_path"),
    path("paths/<str:public_id>/", path_views.path, name="path"),
    path("paths/<str:public_id>/edit/", path_views.edit, name="edit_path"),
    path("paths/<str:public_id>/pick/", path_views.pick, name="pick_course"),
    path("paths/<str:public_id>/stages/", path_views.stages, name="stages"),
    path("paths/<str:public_id>/release/", path_views.release, name="release_path"),
    path("paths/<str:public_id>/withdraw/", path_views.withdraw, name="withdraw_path"),
    path("paths/<str:public_id>/topics/", path_views.set_topics, name="path_topics"),
    path("replace/<str:public_id>/", replacing_views.replace, name="replace"),
    path("<str:public_id>/picture/", picture_views.course_picture, name="picture"),
    path("<str:public_id>/references/", reference_views.course_references, name="references"),
    path("<str:public_id>/references/change/", reference_views.change_references, name="change_references"),
    path("<str:public_id>/topics/", views.set_topics, name="topics"),
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
