"""The addresses of content hosts."""

from django.urls import path

from stepladder.playing import content

urlpatterns = [
    path("run/lib/<str:name>", content.library, name="lib"),
    path("run/<str:token>/<int:sco>/", content.wrapper, name="wrapper"),
    path("run/<str:token>/<int:sco>/commit", content.commit, name="commit"),
    path("run/<str:token>/files/<path:path>", content.package_file, name="file"),
]
