"""What courses hands in to apps nearer the ground."""

from __future__ import annotations

from stepladder import daily, events
from stepladder.courses import (
    indexing,
    keeping,
    models,
    offer_views,
    offers,
    permissions,
    picture_views,
    planned,
    reactions,
    reference_views,
    references,
    replacing_views,
    skill_views,
    skills,
    topics,
    undoing,
)
from stepladder.journal import sealing, verbs
from stepladder.library import own_pictures, use
from stepladder.reaches.stored import take_skills
from stepladder.search import index
from stepladder.web import bodies, margin
from stepladder.web.frame import add_rung

# What came later is left out: a further column would make every digest another one. Its entries say it.
sealing.watch(models.Course, leaving_out=("alone_id",))
sealing.watch(models.Offer, leaving_out=("begins_early",))
sealing.watch(
    models.SkillLevel,
    models.Credit,
    models.Course.prerequisites.through,
    models.Course.satisfied_by.through,
    models.Step,
    models.Reference,
)
sealing.watch(models.Programme)
sealing.watch(models.Path, leaving_out=(*sealing.OF_SHEETS, "asked_like_id", "picture", "kept_by_id"))
sealing.watch(models.Edition, leaving_out=(*sealing.OF_SHEETS, "description", "planned"))
daily.add("planned releases", planned.release_planned)
add_rung(3, "Courses", "courses:list", verb="see courses", namespaces=("courses",))
add_rung(3, "Paths", "courses:paths", verb="see paths", namespaces=("courses",))
permissions.register()
keeping.register()
verbs.register(
    save_programme="saved the programme of {count} paths, {shown}",
    remove_programme="took the programme out",
    plan_release="is to be released on {day}",
    drop_plan="is to be released on no day any more",
    release_waits="was not released on its day: {why}",
    create_course="made the course",
    copy_course="made the course as a copy of “{of}”",
    edit_course="edited the draft",
    replace_module="put “{other}” in its stead, in {courses}",
    add_reference="put “{module}” beside it",
    drop_reference="took “{module}” from beside it",
    add_skill="made the skill",
    edit_skill="changed the skill, of {levels} levels",
    remove_skill="took the skill out",
    give_credits="gives {credits} credits for {level}",
    set_offer="offers it {admission}, to {whom}",
    offer_alone="offers the module by itself",
    set_topics="gave it the topics {topics}",
    set_terms="set how long it is valid",
    relate_course="set what comes first and what counts as it",
    add_steps="added {count}",
    order_steps="ordered the steps",
    edit_step="changed the step “{module}”",
    remove_step="took out “{module}”",
    new_edition="began edition {number}",
    discard_draft="dropped the draft of edition {number}",
    release_course="released edition {number}",
    withdraw_course="withdrew it",
    create_path="made the path",
    copy_path="made the path as a copy of “{of}”",
    edit_path="edited the path",
    change_stages="changed the stages",
    release_path="released edition {number}",
    withdraw_path="withdrew it",
)
undoing.register()
index.add_source("course", indexing.index_courses, verb="see courses", visible=permissions.visible_courses)
take_skills(skills.needs_of, skills.all_levels)
events.listen(events.TopicChanged, indexing.on_topic_change, phase=events.Phase.DERIVE)
events.listen(events.CourseChanged, indexing.on_change, phase=events.Phase.DERIVE)
events.answer(events.ModuleWithdrawalProposed, reactions.courses_that_use)
margin.add_panel("module", 10, reactions.used_in_panel)
margin.add_verb("module", 30, replacing_views.replace_verb)
margin.add_panel("course", 30, reference_views.reference_panel)
margin.add_panel("course", 35, picture_views.picture_panel)
margin.add_panel("path", 35, picture_views.picture_panel)
bodies.take_long("courses:picture", own_pictures.MOST_BYTES + 65_536)
bodies.take_long("courses:path_picture", own_pictures.MOST_BYTES + 65_536)
margin.add_panel("course", 33, offer_views.offer_panel)
margin.add_panel("path", 33, offer_views.offer_panel)
margin.add_panel("module", 12, offer_views.alone_panel)
events.listen(events.ModuleProcessed, offers.renew_alone, phase=events.Phase.REACT)
margin.add_panel("course", 38, skill_views.credits_panel)
margin.add_panel("course", 40, topics.topics_panel)
margin.add_panel("path", 38, skill_views.path_skills_panel)
margin.add_panel("path", 40, topics.topics_panel)
margin.add_row_note("module", reactions.used_in_notes)
use.add_user(reactions.used_modules)
use.add_user(references.referred_modules)
