"""The pages of sessions: the week, planning, a session's sheet, its roster, and a learner's own."""
