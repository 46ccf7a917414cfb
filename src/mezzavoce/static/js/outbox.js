// Answers on their way: kept in this browser until the server has them, each sent once, in the order they were given.
import { send } from "./http.js";

const AGAIN_MS = 15000;

/**
 * An outbox kept under a name. `took(address, answer)` hears what the server took, `refused(address, error)` what it
 * did not, `told(addresses)` what waits for a connection.
 */
export function makeOutbox(name, { took, refused, told }) {
  let busy = false;

  const read = () => JSON.parse(localStorage.getItem(name) || "[]");
  const write = (rows) => localStorage.setItem(name, JSON.stringify(rows));
  const drop = (key) => write(read().filter((row) => row.fields.client_key !== key));

  function bodyOf(fields) {
    const body = new FormData();
    Object.entries(fields).forEach(([field, value]) => body.set(field, value));
    return body;
  }

  async function pass() {
    if (busy) return;
    busy = true;
    try {
      for (let [row] = read(); row; [row] = read()) {
        const { address, fields } = row;
        try {
          const answer = await send(address, bodyOf(fields));
          drop(fields.client_key);
          took(address, answer);
        } catch (error) {
          // Without a connection, or where the server is away for a moment, it waits.
          if (!error.status || error.status >= 500) break;
          drop(fields.client_key);
          refused(address, error);
        }
      }
    } finally {
      busy = false;
      told(read().map((row) => row.address));
    }
  }

  return {
    /** Give something to be sent; what waits for the same address goes, because this is said instead. */
    put(address, fields) {
      write([...read().filter((row) => row.address !== address), { address, fields }]);
      return pass();
    },
    /** Send what an earlier visit left behind, and go on trying. */
    start() {
      window.addEventListener("online", pass);
      setInterval(() => read().length && pass(), AGAIN_MS);
      if (read().length) pass();
    },
  };
}
