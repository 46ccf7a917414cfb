// A file arrives in pieces, goes on where it broke off, and is looked at by a worker once it is whole.
import { send } from "./http.js";

const PIECE = 8 * 1024 * 1024;
const TRIES = 6;
const ASK_EVERY_MS = 400;

/** The file is whole: what a worker found in it, once it has looked. */
export async function lookedAt(row) {
  row.line.cells[3].textContent = "being looked at";
  let answer = await trying(() => send(`${row.address}done/`, new FormData()));
  while (!answer.id && !row.gone) {
    await pause(ASK_EVERY_MS);
    answer = await trying(() => send(`${row.address}done/`, null, "GET"));
  }
  return answer;
}

/** Something that may be asked for again; after a break of the connection it is, a little later each time. */
async function trying(ask) {
  for (let tries = 1; ; tries += 1) {
    try {
      return await ask();
    } catch (error) {
      if (![0, 500, 502, 503].includes(error.status) || tries > TRIES) throw error;
      await pause(500 * 2 ** tries);
    }
  }
}

function pause(milliseconds) {
  return new Promise((resolve) => setTimeout(resolve, milliseconds));
}

/** The checksum of a piece, so that what arrives is what was sent. Browsers work it out on secure pages only. */
async function sha256(piece) {
  if (!crypto.subtle)
    throw new Error(
      "Files are sent from pages with https only (or on this very machine). Open Mezzavoce by its https address.",
    );
  const digest = await crypto.subtle.digest("SHA-256", await piece.arrayBuffer());
  return Array.from(new Uint8Array(digest), (b) => b.toString(16).padStart(2, "0")).join("");
}

/** Send piece after piece; after a break ask where to go on, wait a little longer each time. */
export async function pieces(row, from) {
  let offset = from;
  let tries = 0;
  while (offset < row.file.size && !row.gone) {
    try {
      const piece = row.file.slice(offset, offset + PIECE);
      const headers = {
        "Upload-Offset": String(offset),
        "Upload-SHA256": await sha256(piece),
        "Content-Type": "application/octet-stream",
      };
      const answer = await send(row.address, piece, "PUT", headers);
      offset = answer.received;
      tries = 0;
      const bar = row.line.querySelector("progress");
      if (bar) bar.value = offset / row.file.size;
    } catch (error) {
      if (![0, 409, 500, 502, 503].includes(error.status) || tries >= TRIES) throw error;
      tries += 1;
      await pause(500 * 2 ** tries);
      offset = (await send(row.address, null, "GET").catch(() => ({ received: offset }))).received;
    }
  }
}
