from django.urls import path

from stepladder.writing.views import desk, saving

app_name = "writing"
urlpatterns = [
    path("new/<str:public_id>/", desk.new_lesson, name="new_lesson"),
    path("try/<str:version>/", saving.try_answer, name="try_answer"),
    path("file/<str:token>/", saving.show_file, name="file"),
    path("section/<str:public_id>/", saving.save, name="save"),
    path("section/<str:public_id>/take/", saving.take, name="take"),
    path("section/<str:public_id>/earlier/", desk.earlier, name="earlier"),
    path("<str:public_id>/", desk.write, name="write"),
    path("<str:public_id>/around/", desk.around, name="around"),
    path("<str:public_id>/sections/", desk.change_sections, name="sections"),
    path("<str:public_id>/options/", desk.set_options, name="options"),
    path("<str:public_id>/release/", desk.release, name="release"),
    path("<str:public_id>/contrast/", desk.contrast, name="contrast"),
    path("<str:public_id>/links/", desk.ask_links, name="ask_links"),
    path("<str:public_id>/present/", saving.present, name="present"),
    path("<str:public_id>/draw/", saving.draw, name="draw"),
    path("<str:public_id>/files/", saving.keep_file, name="keep_file"),
    path("<str:public_id>/pick/", saving.pick, name="pick"),
    path("<str:public_id>/read/", saving.read, name="read"),
    path("<str:public_id>/try/", saving.try_draft, name="try_draft"),
]
