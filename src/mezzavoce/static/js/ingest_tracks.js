// The track map of a file with several sounds: each with a small waveform, something to hear, and a role.
import { send } from "./http.js";

const ASK_EVERY_MS = 500;
const LOWEST = -60;
const WIDTH = 240;
const HEIGHT = 26;

/** Rows below a file's line. `onChange` is called when a role changes, `onWhole` when it is one sound after all. */
export function makeTrackMap(line, roles, onChange, onWhole) {
  const element = document.createElement("tr");
  element.className = "track-map-row";
  element.innerHTML =
    '<td colspan="5"><p class="soft">This file holds several sounds; they are being looked through.</p></td>';
  line.after(element);
  const cell = element.firstElementChild;
  const rows = [];
  const audio = new Audio();
  let playing = null;

  function hear(button, address) {
    const again = playing === button;
    audio.pause();
    playing?.setAttribute("aria-pressed", "false");
    playing = null;
    if (again) return;
    audio.src = address;
    audio.play().catch(() => {});
    button.setAttribute("aria-pressed", "true");
    playing = button;
  }
  audio.addEventListener("ended", () => {
    playing?.setAttribute("aria-pressed", "false");
    playing = null;
  });

  function add(sound, role, why, table) {
    const row = table.insertRow();
    row.innerHTML =
      '<th scope="row"></th><td class="wave"></td>' +
      '<td><button type="button" class="btn btn-line">hear</button></td>' +
      '<td><select class="form-select"></select></td><td class="soft"></td>';
    row.cells[0].textContent = sound.title ? `${sound.tracks} ${sound.title}` : `${sound.tracks}`;
    row.cells[1].append(wave(sound));
    const button = row.querySelector("button");
    button.setAttribute("aria-label", `Hear ${sound.tracks}`);
    button.setAttribute("aria-pressed", "false");
    button.addEventListener("click", () => hear(button, sound.listen));
    const select = row.querySelector("select");
    select.setAttribute("aria-label", `Role of ${sound.tracks}`);
    select.add(new Option("not used", ""));
    roles.forEach(([value, text]) => select.add(new Option(text, value)));
    select.value = role;
    select.addEventListener("change", onChange);
    row.cells[4].textContent = why;
    rows.push({ sound, select });
  }

  return {
    element,
    /** Fetch what the file holds; roles as last time where it is known. */
    async load(address, remembered) {
      let found = await send(address, null, "GET");
      while (!found.sounds) {
        await new Promise((resolve) => setTimeout(resolve, ASK_EVERY_MS));
        if (!element.isConnected) return;
        found = await send(address, null, "GET");
      }
      const table = document.createElement("table");
      table.className = "track-map-table";
      const head = Object.assign(document.createElement("p"), {
        className: "soft",
        textContent: `Several sounds; roles as ${remembered ? "last time" : "proposed"}. Correct what is wrong, or `,
      });
      const whole = Object.assign(document.createElement("button"), {
        type: "button",
        className: "plain",
        textContent: "take it as one sound",
      });
      whole.addEventListener("click", () => {
        audio.pause();
        onWhole();
      });
      head.append(whole);
      cell.replaceChildren(head, table);
      found.sounds.forEach((sound) => {
        const known = remembered?.roles;
        add(sound, known ? known[sound.tracks] || "" : sound.role, known ? "as last time" : sound.why, table);
      });
      onChange();
    },
    /** Sounds that have a role. */
    chosen: () =>
      rows
        .filter((r) => r.select.value)
        .map((r) => ({ role: r.select.value, tracks: r.sound.tracks, channels: r.sound.channels })),
  };
}

/** Peaks of every channel over the file, one above the other. */
function wave(sound) {
  const high = sound.wave_dbfs.length > 2 ? 10 : HEIGHT / sound.wave_dbfs.length;
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${high * sound.wave_dbfs.length}`);
  svg.setAttribute("width", WIDTH);
  svg.setAttribute("height", high * sound.wave_dbfs.length);
  svg.setAttribute("aria-hidden", "true");
  sound.wave_dbfs.forEach((channel, k) => {
    const middle = high * (k + 0.5);
    const half = (v) => Math.max(0.4, ((Math.max(v, LOWEST) - LOWEST) / -LOWEST) * (high / 2 - 0.5));
    const top = channel.map((v, n) => `${(n * WIDTH) / channel.length} ${(middle - half(v)).toFixed(1)}`);
    const low = channel.map((v, n) => `${(n * WIDTH) / channel.length} ${(middle + half(v)).toFixed(1)}`).reverse();
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
    path.setAttribute("d", `M${[...top, ...low].join("L")}Z`);
    svg.append(path);
  });
  return svg;
}
