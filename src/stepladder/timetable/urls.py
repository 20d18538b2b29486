from django.urls import path

from stepladder.timetable.views import attendance, availability, modules, own, planning, sheet, week

app_name = "timetable"
urlpatterns = [
    path("", week.week, name="week"),
    path("list/", week.session_list, name="list"),
    path("new/", planning.new, name="new"),
    path("rooms/", planning.rooms, name="rooms"),
    path("rooms/<str:public_id>/", availability.room, name="room"),
    path("instructors/", availability.teachers, name="teachers"),
    path("instructors/<str:person>/", availability.teacher, name="teacher"),
    path("modules/new/<str:public_id>/", modules.new_module, name="new_module"),
    path("modules/<str:public_id>/threshold/", modules.threshold, name="threshold"),
    path("own/", own.own, name="own"),
    path("own/calendar/", own.renew_feed, name="renew_feed"),
    path("calendar/<str:key>.ics", own.feed, name="feed"),
    path("here/<str:token>/", attendance.check_in, name="check_in"),
    path("seats/<str:public_id>/", own.seat, name="seat"),
    path("seats/<str:public_id>/take/", own.take, name="take"),
    path("seats/<str:public_id>/give-back/", own.give_back, name="give_back"),
    path("<str:public_id>/", sheet.session, name="session"),
    path("<str:public_id>/book/", sheet.book, name="book"),
    path("<str:public_id>/release/", sheet.release, name="release"),
    path("<str:public_id>/exchange/", sheet.exchange, name="exchange"),
    path("<str:public_id>/details/", planning.details, name="details"),
    path("<str:public_id>/seats/", planning.seats, name="seats"),
    path("<str:public_id>/reschedule/", planning.move, name="reschedule"),
    path("<str:public_id>/cancel/", planning.cancel, name="cancel"),
    path("<str:public_id>/roster/", attendance.roster, name="roster"),
    path("<str:public_id>/roster/keep/", attendance.keep, name="keep"),
    path("<str:public_id>/roster/rest/", attendance.note_rest, name="note_rest"),
    path("<str:public_id>/roster/door/", attendance.door, name="door"),
    path("<str:public_id>/roster/admit/", attendance.admit, name="admit"),
    path("<str:public_id>/roster/sign-off/", attendance.sign_off, name="sign_off"),
    path("<str:public_id>/sign-in-sheet/", attendance.sign_in_sheet, name="sign_in_sheet"),
]
