from django.urls import path

from stepladder.quizzes.views import allowing, banks, items, marking, papers, plans

app_name = "quizzes"
urlpatterns = [
    path("library/banks/", banks.every, name="banks"),
    path("library/banks/new/", banks.new_bank, name="new_bank"),
    path("library/banks/<str:public_id>/", banks.bank, name="bank"),
    path("library/banks/<str:public_id>/edit/", banks.edit_bank, name="edit_bank"),
    path("library/banks/<str:public_id>/many/", banks.change_many, name="change_many"),
    path("library/banks/<str:public_id>/new/", banks.new_question, name="new_question"),
    path("library/banks/<str:public_id>/preview/", banks.preview, name="preview"),
    path("library/banks/<str:public_id>/media/", banks.find_media, name="find_media"),
    path("library/banks/<str:public_id>/text/", banks.paste, name="paste"),
    path("library/banks/<str:public_id>/out/<str:name>/", banks.take_out, name="take_out"),
    path("library/questions/<str:public_id>/", banks.question, name="question"),
    path("library/kept-items/<str:public_id>/", banks.kept_item, name="kept_item"),
    path("library/quizzes/new/<str:public_id>/", plans.new_quiz, name="new_quiz"),
    path("library/quizzes/<str:public_id>/", plans.plan, name="plan"),
    path("library/quizzes/<str:public_id>/sections/", plans.change_sections, name="sections"),
    path("library/quizzes/<str:public_id>/picks/", plans.change_picks, name="picks"),
    path("library/quizzes/<str:public_id>/choose/", plans.choose, name="choose"),
    path("library/quizzes/<str:public_id>/conditions/", plans.conditions, name="conditions"),
    path("library/quizzes/<str:public_id>/release/", plans.release, name="release"),
    path("learn/quiz/<str:attempt>/begin/", papers.begin, name="begin"),
    path("learn/quiz/<str:attempt>/hand-in/", papers.hand_in, name="hand_in"),
    path("learn/quiz/<str:attempt>/files/<int:number>/", papers.files, name="files"),
    path("learn/answer-file/<str:public_id>/", papers.show_file, name="show_file"),
    path("people/<str:public_id>/quizzes/", allowing.allow, name="allow"),
    path("library/quizzes/<str:public_id>/answers/", items.items, name="items"),
    path("library/quizzes/<str:public_id>/answers/<str:wording>/", items.correct, name="correct"),
    path("marking/", marking.waiting, name="marking"),
    path("marking/<str:public_id>/", marking.paper, name="mark"),
]
