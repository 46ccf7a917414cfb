// What a mix is made of: files and their roles, frame rate and start, for a new mix or to put one right.
import { propose, roleOf } from "./ingest_names.js";
import { makeTrackMap } from "./ingest_tracks.js";
import { lookedAt, pieces } from "./ingest_upload.js";
import { say, send } from "./http.js";

const ROLES = [
  ["mix", "the mix"],
  ["dialogue", "dialogue stem"],
  ["music", "music stem"],
  ["effects", "effects stem"],
  ["background", "music and effects in one"],
];
const CAPTIONS = /\.(vtt|srt)$/i;
const CHANNEL_AT_END = /[._\- ](l|r|c|lfe|ls|rs|left|right)\.[a-z0-9]+$/i;
const page = document.getElementById("ingest");
const known = JSON.parse(document.getElementById("known")?.textContent || "null");
const rows = [];
if (document.getElementById("choose")) start();

function start() {
  const drop = document.getElementById("drop");
  const choose = document.getElementById("choose");
  const take = () => {
    add(choose.files);
    choose.value = "";
  };
  choose.addEventListener("change", take);
  // A quick hand, or a browser that kept the field, chooses before this script listens.
  if (choose.files.length) take();
  ["dragover", "dragenter"].forEach((name) =>
    drop.addEventListener(name, (e) => {
      e.preventDefault();
      drop.classList.add("is-over");
    }),
  );
  ["dragleave", "drop"].forEach((name) => drop.addEventListener(name, () => drop.classList.remove("is-over")));
  drop.addEventListener("drop", (e) => {
    e.preventDefault();
    add(e.dataTransfer.files);
  });
  document.getElementById("take-in").addEventListener("submit", takeIn);
  document.getElementById("id_programme")?.addEventListener("change", showNew);
  document
    .querySelectorAll("#unfinished [data-forget]")
    .forEach((button) => button.addEventListener("click", () => forget(button)));
  window.addEventListener("beforeunload", (e) => {
    if (rows.some((r) => r.arriving)) e.preventDefault();
  });
  showNew();
  known?.files.forEach(addKnown);
}

/** Give up what was broken off. */
async function forget(button) {
  try {
    await send(button.dataset.forget, null, "DELETE");
    button.closest("li").remove();
  } catch (error) {
    say(error.message, true);
  }
}

function showNew() {
  const isNew = document.getElementById("id_programme")?.value === "";
  document.querySelectorAll(".new-programme").forEach((field) => {
    field.hidden = !isNew;
  });
}

/** What a file probably is, from its name; a person has the last word. */
function guessRole(name) {
  const found = roleOf(name);
  if (found) return found;
  if (CHANNEL_AT_END.test(name)) return "mix";
  return rows.some((r) => r.role === "mix") ? "music" : "mix";
}

function add(files) {
  document.getElementById("problem").hidden = true;
  Array.from(files).forEach((file) => {
    const row = {
      file,
      role: CAPTIONS.test(file.name) ? "captions" : guessRole(file.name),
      arriving: true,
      id: null,
      facts: null,
    };
    rows.push(row);
    show(row);
    upload(row);
  });
}

/** A file that the mix has already. */
function addKnown(whole) {
  const row = { file: { name: whole.name }, role: whole.role, arriving: false };
  rows.push(row);
  show(row);
  arrived(row, whole).then(showFacts, (error) => say(error.message, true));
}

/** A file is here, and so is what it says of itself. */
async function arrived(row, whole) {
  Object.assign(row, { id: whole.id, facts: whole.facts, arriving: false, remembered: whole.remembered });
  row.line.cells[2].textContent = describe(whole.facts);
  row.line.cells[3].textContent = "✓ here";
  if (whole.survey) await openLanes(row, whole.survey, whole.remembered);
  else if (whole.pairs) offerPairs(row, whole.pairs);
}

function show(row) {
  document.getElementById("files").hidden = false;
  page.classList.add("has-files");
  const line = document.createElement("tr");
  line.innerHTML =
    '<td></td><td><select class="form-select"></select></td><td class="soft"></td>' +
    '<td><progress max="1" value="0"></progress></td>' +
    '<td><button type="button" class="plain">remove</button></td>';
  line.cells[0].textContent = row.file.name;
  const select = line.querySelector("select");
  select.setAttribute("aria-label", `Role of ${row.file.name}`);
  line.querySelector("progress").setAttribute("aria-label", `Upload of ${row.file.name}`);
  (row.role === "captions" ? [["captions", "captions"]] : ROLES).forEach(([value, text]) =>
    select.add(new Option(text, value, false, value === row.role)),
  );
  select.addEventListener("change", () => {
    row.role = select.value;
    changed();
  });
  line.querySelector("button").addEventListener("click", () => remove(row));
  row.line = line;
  document.querySelector("#files tbody").append(line);
}

function remove(row) {
  row.gone = true;
  rows.splice(rows.indexOf(row), 1);
  row.line.remove();
  row.trackMap?.element.remove();
  if (row.address && row.arriving) send(row.address, null, "DELETE").catch(() => {});
  document.getElementById("files").hidden = rows.length === 0;
  showFacts();
}

async function upload(row) {
  try {
    const begun = new FormData();
    begun.set("name", row.file.name);
    begun.set("size", row.file.size);
    begun.set("modified", row.file.lastModified);
    const { address, received } = await send(page.dataset.upload, begun);
    row.address = address;
    forgetOffer(row.file);
    await pieces(row, received);
    if (row.gone) return;
    const whole = await lookedAt(row);
    if (row.gone) return;
    await arrived(row, whole);
  } catch (error) {
    if (row.gone) return;
    row.arriving = false;
    row.line.cells[3].innerHTML = '<span class="wrong"></span>';
    row.line.cells[3].firstChild.textContent = error.message;
  }
  showFacts();
}

/** A file with several sounds: each gets a role of its own, and the file as a whole has none. */
async function openLanes(row, address, remembered) {
  const select = row.line.querySelector("select");
  row.trackMap = makeTrackMap(row.line, ROLES, changed, () => {
    row.trackMap.element.remove();
    row.trackMap = null;
    select.hidden = false;
    offerPairs(row, address);
    changed();
  });
  select.hidden = true;
  row.remembered = remembered;
  await row.trackMap.load(address, remembered);
}

/** Some writers call any eight channels a surround layout; a person knows better. */
function offerPairs(row, address) {
  const button = Object.assign(document.createElement("button"), {
    type: "button",
    className: "plain",
    textContent: "these are several sounds",
  });
  button.addEventListener("click", () => {
    button.remove();
    openLanes(row, address, null).catch((error) => say(error.message, true));
  });
  row.line.cells[2].append(" ", button);
}

function changed() {
  showFacts.shape = null;
  showFacts();
}

/** What is ingested: files, or the sounds of a file, with their roles. */
function soundsOf(row) {
  if (!row.id) return [];
  return row.trackMap
    ? row.trackMap.chosen().map((sound) => ({ id: row.id, ...sound }))
    : [{ id: row.id, role: row.role, tracks: "" }];
}

/** How many channels the mix has, and whether somebody has to say where they stand. */
function mixShape() {
  const parts = rows.flatMap((row) =>
    soundsOf(row)
      .filter((p) => p.role === "mix")
      .map((p) => ({ row, channels: p.channels || row.facts?.channels || 0 })),
  );
  const channels = parts.reduce((sum, p) => sum + p.channels, 0);
  const told = parts.length === 1 && parts[0].row.facts.says_layout && channels === parts[0].row.facts.channels;
  return { row: parts[0]?.row, channels, ask: channels > 2 && !told, remembered: parts[0]?.row.remembered?.layout };
}

const ORDERS = {
  6: ["L R C LFE Ls Rs", "L C R Ls Rs LFE"],
  8: ["L R C LFE Lb Rb Ls Rs"],
  10: ["L R C LFE Ls Rs Ltf Rtf Ltb Rtb"],
  3: ["L R C", "L C R"],
  4: ["L R Lb Rb"],
  5: ["L R C Ls Rs", "L C R Ls Rs"],
};

/** Where the file says nothing, the order of channels is asked for. */
function askLayout({ channels, ask, remembered }) {
  const field = document.getElementById("layout-field");
  const select = document.getElementById("id_layout");
  field.hidden = !ask;
  select.replaceChildren();
  if (!ask) return;
  select.add(new Option("please choose", ""));
  (ORDERS[channels] || []).forEach((order) => select.add(new Option(order, order)));
  if (remembered && !(ORDERS[channels] || []).includes(remembered)) select.add(new Option(remembered, remembered));
  select.value = remembered || "";
}

/** What was broken off and is chosen again goes on, and is not offered any more. */
function forgetOffer(file) {
  document.querySelectorAll("#unfinished li").forEach((offer) => {
    if (offer.dataset.name === file.name && Number(offer.dataset.size) === file.size) offer.remove();
  });
  const list = document.getElementById("unfinished");
  if (list && !list.querySelector("li")) list.hidden = true;
}

function describe(facts) {
  if (facts.captions) return `${facts.captions} caption${facts.captions === 1 ? "" : "s"}`;
  const minutes = `${Math.floor(facts.duration_s / 60)} min ${(facts.duration_s % 60).toFixed(1)} s`;
  const layout = facts.channels === 1 ? "mono" : facts.layout;
  const picture = facts.has_picture ? ", with picture" : "";
  return `${minutes}, ${layout}, ${facts.sample_rate_hz / 1000} kHz${picture}`;
}

function showFacts() {
  const shape = mixShape();
  const mix = shape.row;
  document.getElementById("facts").disabled = !mix;
  document.getElementById("measure").disabled = !mix || rows.some((r) => r.arriving);
  if (!mix?.facts) return;
  if (showFacts.shape !== `${mix.id} ${shape.channels}`) {
    showFacts.shape = `${mix.id} ${shape.channels}`;
    askLayout(shape);
    document.getElementById("fact-duration").textContent = `${mix.facts.duration_s.toFixed(2)} s`;
    document.getElementById("fact-channels").textContent =
      shape.channels === mix.facts.channels && !shape.ask
        ? `${shape.channels} (${mix.facts.layout})`
        : String(shape.channels);
  }
  // What a person typed stays when a stem gets another role.
  if (showFacts.timed === mix.id) return;
  showFacts.timed = mix.id;
  fillTiming(mix);
}

/** Frame rate and start as the mix has them, or as its file says them. */
function fillTiming({ file, facts }) {
  const usual = page.dataset;
  const said = known?.timing || {
    rate: facts.frame_rate ? facts.frame_rate + (facts.drop_frame ? "df" : "") : usual.rate || "25",
    start: facts.start_timecode || usual.start || "00:00:00:00",
  };
  document.getElementById("id_frame_rate").value = said.rate;
  document.getElementById("id_start_timecode").value = said.start;
  if (!known) propose(file.name, usual.production);
  const missing = [facts.frame_rate ? "" : "frame rate", facts.start_timecode ? "" : "start timecode"]
    .filter(Boolean)
    .join(" and ");
  const varies = facts.frame_rate_varies ? " Its frame rate varies; timecode counts with the rate given here." : "";
  const source = missing
    ? `The file says nothing about its ${missing}; please set it.`
    : "Read from the file; correct it where it is wrong.";
  document.getElementById("fact-note").textContent = (known ? "" : source) + varies;
}

async function takeIn(event) {
  event.preventDefault();
  const form = event.target;
  const body = new FormData(form);
  body.set("files", JSON.stringify(rows.flatMap(soundsOf)));
  const problem = document.getElementById("problem");
  problem.hidden = true;
  document.getElementById("measure").disabled = true;
  try {
    const answer = await send(form.action, body);
    rows.length = 0;
    location.assign(answer.address);
  } catch (error) {
    problem.textContent = error.message;
    problem.hidden = false;
    document.getElementById("measure").disabled = false;
    const field = Object.keys(error.answer?.fields || {})[0];
    document.getElementById(`id_${field}`)?.focus();
    say(error.message, true);
  }
}
