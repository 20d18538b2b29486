from django.urls import path

from stepladder.library import list_views, topic_views, tus, views

app_name = "library"
urlpatterns = [
    path("", list_views.home, name="home"),
    path("binders/new/", list_views.new_binder, name="new_binder"),
    path("binders/<str:public_id>/", list_views.binder, name="binder"),
    path("binders/<str:public_id>/edit/", list_views.edit_binder, name="edit_binder"),
    path("binders/<str:public_id>/uploads/", list_views.progress, name="progress"),
    path("binders/<str:public_id>/folders/new/", list_views.new_folder, name="new_folder"),
    path("binders/<str:public_id>/folders/<str:folder>/", list_views.binder, name="folder"),
    path("binders/<str:public_id>/folders/<str:folder>/change/", list_views.change_folder, name="change_folder"),
    path("topics/", topic_views.topics, name="topics"),
    path("topics/add/", topic_views.add_topic, name="add_topic"),
    path("topics/<str:public_id>/change/", topic_views.change_topic, name="change_topic"),
    path("uploads/", tus.uploads, name="uploads"),
    path("uploads/<str:public_id>/", tus.upload, name="upload"),
    path("uploads/<str:public_id>/dismiss/", list_views.dismiss, name="dismiss"),
    path("binders/<str:public_id>/room/", list_views.room, name="room"),
    path("binders/<str:public_id>/sending/", list_views.sending, name="sending"),
    path("uploads/<str:public_id>/settle/", list_views.settle, name="settle"),
    path("uploads/<str:public_id>/again/", list_views.try_again, name="try_again"),
    path("modules/many/", list_views.many, name="many"),
    path("modules/<str:public_id>/", views.module, name="module"),
    path("modules/<str:public_id>/edit/", views.edit_module, name="edit_module"),
    path("modules/<str:public_id>/withdraw/", views.withdraw_module, name="withdraw_module"),
    path("modules/<str:public_id>/release/", views.release_module, name="release_module"),
    path("modules/<str:public_id>/done-when/", views.done_when, name="done_when"),
    path("modules/<str:public_id>/captions/", views.captions, name="captions"),
    path("modules/<str:public_id>/still/", views.still, name="still"),
    path("modules/<str:public_id>/versions/<int:number>/change/", views.change_version, name="change_version"),
    path("modules/<str:public_id>/versions/<int:number>/original/", views.original, name="original"),
    path("modules/<str:public_id>/versions/<int:number>/as/<str:name>/", views.export, name="export"),
]
