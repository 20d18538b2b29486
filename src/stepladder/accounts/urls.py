from django.urls import path

from stepladder.accounts import views

app_name = "accounts"
urlpatterns = [
    path("set-up/", views.set_up, name="set_up"),
    path("sign-in/", views.sign_in, name="sign_in"),
    path("sign-in/demo/", views.demo_sign_in, name="demo_sign_in"),
    path("forgotten/", views.forgotten, name="forgotten"),
    path("link/<str:token>/", views.link, name="link"),
    path("sign-out/", views.sign_out, name="sign_out"),
    path("organisation/", views.organisation, name="organisation"),
    path("settings/", views.settings, name="settings"),
]
