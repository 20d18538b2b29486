"""Every address of the application. Who may open which stands in accounts/policy.py."""

from django.urls import include, path

from stepladder.config import views

urlpatterns = [
    path("", views.home, name="home"),
    path("healthz", views.health, name="health"),
    path("favicon.ico", views.icon, name="icon"),
    path("parts/", views.parts, name="parts"),
    path("account/", include("stepladder.accounts.urls")),
    path("under-way/", include("stepladder.queue.urls")),
    path("desk/", include("stepladder.desk.urls")),
    path("library/sources/", include("stepladder.sources.urls")),
    path("library/write/", include("stepladder.writing.urls")),
    path("", include("stepladder.quizzes.urls")),
    path("", include("stepladder.signing.urls")),
    path("library/", include("stepladder.library.urls")),
    path("courses/", include("stepladder.courses.urls")),
    path("people/charts/", include("stepladder.charts.urls")),
    path("people/leads/", include("stepladder.leads.urls")),
    path("people/keeping/", include("stepladder.keeping.urls")),
    path("people/", include("stepladder.reaches.urls")),
    path("people/imports/", include("stepladder.people_import.urls")),
    path("people/", include("stepladder.people.urls")),
    path("notices/", include("stepladder.notices.urls")),
    path("learn/", include("stepladder.playing.urls")),
    path("catalogue/", include("stepladder.catalogue.urls")),
    path("messages/", include("stepladder.messaging.urls")),
    path("what-is-told/", include("stepladder.telling.urls")),
    path("assign/", include("stepladder.assignments.urls")),
    path("sessions/plans/", include("stepladder.planning.urls")),
    path("sessions/", include("stepladder.timetable.urls")),
    path("records/outside/", include("stepladder.outside.urls")),
    path("records/evidence/", include("stepladder.evidence.urls")),
    path("records/reports/", include("stepladder.reports.urls")),
    path("records/", include("stepladder.records.urls")),
    path("standins/", include("stepladder.standins.urls")),
    path("search/", include("stepladder.search.urls")),
]

handler400 = "stepladder.web.errors.not_readable"
handler403 = "stepladder.web.errors.denied"
handler404 = "stepladder.web.errors.not_found"
handler500 = "stepladder.web.errors.server_error"
