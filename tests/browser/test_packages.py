"""Packages in a browser: windows they open, PDFs they hold, and going on to the next part."""

from __future__ import annotations

import base64
import io
import re
import zipfile

import pytest
from playwright.sync_api import expect

from stepladder.config import demo as demo_files
from tests.browser.test_faults import Visitor

FILES = demo_files.__path__[0] + "/files"
MANIFEST = """<?xml version="1.0"?>
<manifest identifier="m" xmlns="http://www.imsglobal.org/xsd/imscp_v1p1" xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_v1p3">
  <metadata><schema>ADL SCORM</schema><schemaversion>2004 4th Edition</schemaversion></metadata>
  <organizations default="o"><organization identifier="o"><title>Windows and pages</title>
    <item identifier="c"><title>Chapter one</title>
      <item identifier="i1" identifierref="r1"><title>Windows</title></item></item>
    <item identifier="i2" identifierref="r2"><title>Pages</title></item>
  </organization></organizations>
  <resources>
    <resource identifier="r1" type="webcontent" adlcp:scormType="sco" href="index.html"><file href="index.html"/></resource>
    <resource identifier="r2" type="webcontent" adlcp:scormType="sco" href="pages.html"><file href="pages.html"/></resource>
  </resources>
</manifest>"""
INDEX = """<!DOCTYPE html><title>Windows</title>
<button id="open" onclick="window.open('pop.html', 'pop', 'width=300,height=200')">Open</button>
<button id="on" onclick="
  const a = parent.API_1484_11; a.Initialize(''); a.SetValue('adl.nav.request', 'continue'); a.Terminate('')">On</button>"""
POP = """<!DOCTYPE html><title>waits</title><link rel="icon" href="data:,"><script>
  document.title = opener && opener.parent.API_1484_11 ? "found the run-time" : "found nothing";
</script>"""
PAGES = '<!DOCTYPE html><title>Pages</title><iframe id="pdf" src="Radio%20words.pdf" width="500" height="300"></iframe>'


def a_package():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in {
            "imsmanifest.xml": MANIFEST,
            "index.html": INDEX,
            "pop.html": POP,
            "pages.html": PAGES,
        }.items():
            archive.writestr(name, text)
        archive.write(f"{FILES}/radio-words.pdf", "Radio words.pdf")
    return out.getvalue()


def brought_in(demo):
    """The module that the package becomes: its public id."""
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    binder = re.search(r"/library/binders/(\w{14})/", visitor.page("/library/"))[1]
    body, said = a_package(), {"filename": "windows.zip", "binder": binder}
    header = ",".join(f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in said.items())
    made = visitor.ask("/library/uploads/", "POST", b"", Upload_Length=str(len(body)), Upload_Metadata=header)
    parts = {"Content_Type": "application/offset+octet-stream", "Upload_Offset": "0"}
    visitor.ask(made.headers["Location"], "PATCH", body, **parts)
    listed = visitor.until(f"/library/binders/{binder}/", r'/library/modules/\w+/"[^>]*>\s*(<b>)?Windows and pages')
    return re.search(r'/library/modules/(\w+)/"[^>]*>\s*(?:<b>)?Windows and pages', listed)[1]


@pytest.mark.timeout(600)
def test_windows_find_their_opener_parts_go_on_and_pdfs_open(demo, open_at):
    module = brought_in(demo)
    page = open_at(demo)
    page.goto("/account/sign-in/")
    page.locator("button", has_text="Ines Okoro").click()
    page.goto(f"/learn/try/{module}/")
    expect(page.locator("#parts")).to_contain_text("Chapter one")
    inner = page.frame_locator("[data-frame]").frame_locator("#content")
    with page.expect_popup() as popped:
        inner.locator("#open").click()
    expect(popped.value).to_have_title("found the run-time")
    popped.value.close()
    inner.locator("#on").click()
    expect(page.locator("#parts [aria-current]")).to_have_text("Pages")
    drawn = page.frame_locator("[data-frame]").frame_locator("#content").frame_locator("#pdf")
    expect(drawn.locator("#says")).to_have_text(re.compile(r"has \d+ page"))
    expect(drawn.locator("canvas").first).to_have_js_property(
        "width", drawn.locator("canvas").first.evaluate("c => c.width")
    )
    # After the end every call says so, by the standard's own numbers.
    after = (
        page.frame_locator("[data-frame]")
        .locator("body")
        .evaluate(
            """() => { const a = window.API_1484_11; a.Initialize(''); a.Terminate('');
        const said = []; for (const call of [() => a.SetValue('cmi.location', 'x'), () => a.GetValue('cmi.location'),
          () => a.Commit(''), () => a.Terminate(''), () => a.Initialize('')]) said.push([call(), a.GetLastError()]);
        return said; }"""
        )
    )
    assert after == [["false", "133"], ["", "123"], ["false", "143"], ["false", "113"], ["false", "104"]]
    assert drawn.locator("canvas").first.evaluate("c => c.width") > 300
