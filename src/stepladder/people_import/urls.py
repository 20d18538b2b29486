from django.urls import path

from stepladder.people_import import views

app_name = "people_import"
urlpatterns = [
    path("", views.imports, name="imports"),
    path("sample.<str:kind>", views.sample, name="sample"),
    path("<str:public_id>/", views.import_page, name="import"),
    path("<str:public_id>/columns/", views.columns, name="columns"),
    path("<str:public_id>/sheet/", views.sheet, name="sheet"),
    path("<str:public_id>/meaning/", views.meaning, name="meaning"),
    path("<str:public_id>/correct/", views.correct, name="correct"),
    path("<str:public_id>/invite/", views.invite, name="invite"),
    path("<str:public_id>/apply/", views.apply_import, name="apply"),
    path("<str:public_id>/back/", views.back, name="back"),
    path("<str:public_id>/file/", views.file, name="file"),
]
