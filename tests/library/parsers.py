"""Parsers that do what bad files make parsers do. They know nothing else, so that a process of their own loads them at once."""

import os
import time


def sleeps(material, out):
    time.sleep(60)


def eats(material, out):
    return bytearray(3 * 1024**3)


def dies(material, out):
    (out / "begun").write_text("x")
    os._exit(9)


def breaks(material, out):
    raise KeyError("odd")
