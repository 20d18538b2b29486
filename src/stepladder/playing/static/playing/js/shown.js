// Sent with each page of a document that came as web pages: it tells the player around it which page is there.
{
  const said = new URL(document.currentScript.src).searchParams;
  const tell = () => window.parent.postMessage({ type: "page", number: Number(said.get("page")) }, said.get("app"));
  tell();
  // The browser's way back shows a page again without loading it.
  window.addEventListener("pageshow", tell);
}
