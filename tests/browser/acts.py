"""A page on which acts are counted: one press, one choice, one filled field."""

from __future__ import annotations


class Acts:
    """A page that counts what one does on it."""

    def __init__(self, page, done=0):
        self.page, self.done = page, done

    def press(self, what):
        self.done += 1
        what.click()

    def tick(self, what):
        self.done += 1
        what.check()

    def fill(self, what, text):
        self.done += 1
        what.fill(text)

    def key(self, key):
        self.done += 1
        self.page.keyboard.press(key)

    def choose_files(self, what, files):
        self.done += 1
        what.set_input_files(files)

    def choose(self, what, **option):
        self.done += 1
        what.select_option(**option)
