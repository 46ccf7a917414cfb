// The editor's page: a new mix with its stems, sent in pieces, then handed in.
import { say, send } from "./http.js";
import { roleOf } from "./ingest_names.js";
import { lookedAt, pieces } from "./ingest_upload.js";

const ROLES = ["mix", "dialogue", "music", "effects", "background"];
const place = document.getElementById("hand-in");
const table = document.getElementById("new-files");
const button = document.getElementById("hand-it-in");
const rows = [];

document.getElementById("new-mix").addEventListener("change", (event) => {
  Array.from(event.target.files).forEach(add);
  event.target.value = "";
});
button.addEventListener("click", handIn);

function add(file) {
  const row = { file, role: roleOf(file.name) || "mix", line: table.tBodies[0].insertRow(), key: "", here: false };
  rows.push(row);
  table.hidden = false;
  row.line.insertCell().textContent = file.name;
  row.line.insertCell().append(choice(row));
  row.line.insertCell().textContent = `${(file.size / 1e6).toFixed(1)} MB`;
  row.line.insertCell().append(Object.assign(document.createElement("progress"), { max: 1, value: 0 }));
  bring(row);
}

function choice(row) {
  const select = document.createElement("select");
  select.className = "form-select";
  select.setAttribute("aria-label", `Role of ${row.file.name}`);
  ROLES.forEach((role) => select.add(new Option(role, role, false, role === row.role)));
  select.addEventListener("change", () => {
    row.role = select.value;
  });
  return select;
}

async function bring(row) {
  button.disabled = true;
  const body = new FormData();
  body.set("name", row.file.name);
  body.set("size", row.file.size);
  body.set("modified", row.file.lastModified);
  try {
    const { address, received, key } = await send(place.dataset.upload, body);
    Object.assign(row, { address, key });
    await pieces(row, received);
    await lookedAt(row);
    row.here = true;
    row.line.cells[3].textContent = "here";
  } catch (error) {
    rows.splice(rows.indexOf(row), 1);
    row.line.cells[3].textContent = error.message;
  }
  button.disabled = !rows.length || rows.some((other) => !other.here);
}

async function handIn() {
  const body = new FormData();
  rows.forEach((row) => {
    body.append("upload", row.key);
    body.append("role", row.role);
  });
  button.disabled = true;
  try {
    const { words } = await send(place.dataset.mix, body);
    const told = document.getElementById("handed-in");
    told.textContent = words;
    told.hidden = false;
  } catch (error) {
    button.disabled = false;
    say(error.message, true);
  }
}
