// The signer's pages: the form of a sign-off, what is kept in this browser until it is sent, and what is taken along.
import { openForm } from "./form.js";
import { startOutbox } from "./outbox.js";
import { takeAlong } from "./along.js";

const sheet = document.querySelector("[data-sign-offs]");
const form = sheet.querySelector("[data-sign]");
const outbox = startOutbox(sheet);
if (form) openForm(form, outbox);
takeAlong(sheet);
