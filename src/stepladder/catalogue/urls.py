from django.urls import path

from stepladder.catalogue import embedding_views, entering_views, posting_views, views

app_name = "catalogue"
urlpatterns = [
    path("", views.catalogue, name="catalogue"),
    path("follow/", views.follow, name="follow"),
    path("requests/", entering_views.requests, name="requests"),
    path("requests/<str:public_id>/decide/", entering_views.decide, name="decide"),
    path("requests/<str:public_id>/withdraw/", entering_views.withdraw, name="withdraw"),
    path("programmes/<str:public_id>/", views.programme, name="programme"),
    path("embedded/<str:token>/", embedding_views.embedded, name="embedded"),
    path("embed/<str:public_id>/", embedding_views.embed, name="embed"),
    path("embed/<str:public_id>/end/", embedding_views.end, name="end_embedding"),
    path("noticeboard/", posting_views.noticeboard, name="noticeboard"),
    path("noticeboard/new/", posting_views.post, name="post"),
    path("noticeboard/<str:public_id>/", posting_views.change, name="change_posted"),
    path("noticeboard/<str:public_id>/down/", posting_views.take_down, name="take_down"),
    path("<str:public_id>/", views.thing, name="thing"),
    path("<str:public_id>/take-up/", entering_views.take_up, name="take_up"),
    path("<str:public_id>/give-up/", entering_views.give_up, name="give_up"),
    path("<str:public_id>/ask/", entering_views.ask, name="ask"),
    path("<str:public_id>/still/", views.still, name="still"),
    path("<str:public_id>/keep/", views.keep, name="keep"),
    path("<str:public_id>/rate/", views.rate, name="rate"),
    path("<str:public_id>/pass-on/", views.pass_on, name="pass_on"),
    path("<str:public_id>/an-hour.ics", views.hour, name="hour"),
]
