// Asks from time to time whether something changed since the page was shown, and says so when it did.

const TURN_MS = 2000;

/** Ask at an address; `seen()` gives the sign of what is shown, `onNews(sign)` takes over what is new (and may put it off by giving false). */
export function watchNews(address, seen, onNews) {
  setTimeout(turn, TURN_MS);

  async function turn() {
    if (!document.hidden) {
      try {
        const response = await fetch(`${address}?seen=${encodeURIComponent(seen())}`, { credentials: "same-origin", headers: { Accept: "application/json" } });
        if (response.status === 200) await onNews((await response.json()).news);
      } catch {
        // The next turn asks again; the page keeps what it shows.
      }
    }
    setTimeout(turn, TURN_MS);
  }
}

/** Whether somebody is writing in a part of the page: what stands there must not go. */
export function isWriting(part) {
  return Array.from(part.querySelectorAll("textarea, input:not([type=hidden])")).some((field) => field === document.activeElement || field.value !== field.defaultValue);
}
