from django.urls import path

from stepladder.signing.views import asking, signing, tasks

app_name = "signing"
urlpatterns = [
    path("library/tasks/new/<str:public_id>/", tasks.new_task, name="new_task"),
    path("library/tasks/<str:public_id>/", tasks.task, name="task"),
    path("library/tasks/<str:public_id>/signers/", tasks.signers, name="signers"),
    path("library/tasks/<str:public_id>/find/", tasks.find_signer, name="find_signer"),
    path("library/tasks/<str:public_id>/release/", tasks.release, name="release"),
    path("learn/task/<str:attempt>/ask/", asking.ask, name="ask"),
    path("sign-off/", signing.waiting, name="waiting"),
    path("sign-off/worker.js", signing.worker, name="worker"),
    path("sign-off/signed/<str:public_id>/", signing.signed, name="signed"),
    path("sign-off/photo/<str:public_id>/", signing.photo, name="photo"),
    path("sign-off/<str:enrolment>/<str:module>/", signing.sign, name="sign"),
    path("sign-off/<str:enrolment>/<str:module>/send/", signing.send, name="send"),
]
