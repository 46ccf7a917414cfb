// Keeps a page fresh: asks what changed since the version that it shows, and puts parts and words in their places.
import { explain } from "./page.js";
import { changes, send } from "./http.js";

const TURN_MS = 2000;

/**
 * Ask from time to time at `address`. `version` is what the page shows; `words()` says what else the answer depends on.
 * An answer to other words than those of the moment is left, because somebody has gone on meanwhile; so is one that a
 * newer answer has overtaken. `take(state)` hears what was put in its place; `mayTake()` holds back what nobody here
 * asked for; `pace()` gives the milliseconds until the next turn.
 */
export function makeRefresh({
  address,
  version,
  words = () => ({}),
  take = () => {},
  mayTake = () => true,
  pace = () => TURN_MS,
}) {
  let shown = version;
  let under = 0;
  let asked = 0;
  let taken = 0;

  /** Take over the answer to a question, and give it; null where it is not wanted any more. */
  function takeOver(state, question) {
    if (question.number < taken || question.words !== JSON.stringify(words())) return null;
    taken = question.number;
    if (state.version) {
      shown = state.version;
      putFacts(state.facts || {});
      putParts(state.parts || {});
      take(state);
    }
    return state;
  }

  async function request(carry, wanted = () => true) {
    asked += 1;
    const question = { number: asked, words: JSON.stringify(words()) };
    under += 1;
    try {
      const state = await carry();
      return wanted() ? takeOver(state, question) : null;
    } finally {
      under -= 1;
    }
  }

  const query = (other = {}) => new URLSearchParams({ seen: shown, ...words(), ...other });

  async function turn() {
    if (!document.hidden && !under && mayTake()) {
      // The next turn asks again; the page keeps what it shows.
      await request(() => changes(`${address}?${query()}`), mayTake).catch(() => {});
    }
    setTimeout(turn, pace());
  }
  setTimeout(turn, pace());

  return {
    /** Ask now; resolves with the answer that was taken, or null. */
    ask: () => request(() => changes(`${address}?${query()}`)),
    /**
     * Post a form and take over what changed by it; `other` words go before those of the page. Resolves like `ask`,
     * rejects with the server's sentence.
     */
    async post(to, body, other = {}) {
      const state = await request(() => send(`${to}?${query(other)}`, body));
      if (!state) await this.ask().catch(() => {});
      return state;
    },
  };
}

/** Whether somebody is writing in a part of the page: what stands there must not go. */
export function isWriting(part) {
  const fields = Array.from(part.querySelectorAll("textarea, input:not([type=hidden])"));
  return fields.some((field) => field === document.activeElement || field.value !== field.defaultValue);
}

function putFacts(facts) {
  Object.entries(facts).forEach(([name, words]) => {
    document.querySelectorAll(`[data-fact="${name}"]`).forEach((place) => {
      place.textContent = words;
    });
  });
}

function putParts(parts) {
  const focused = document.activeElement;
  Object.entries(parts).forEach(([name, html]) => {
    const place = document.querySelector(`[data-part="${name}"]`);
    if (!place) return;
    const again = place.contains(focused) && selectorOf(focused);
    place.innerHTML = html;
    explain(place);
    if (again) place.querySelector(again)?.focus();
  });
}

/** How what has the focus is found again among what takes its place. */
function selectorOf(element) {
  if (element.id) return `#${CSS.escape(element.id)}`;
  return ["href", "name"]
    .filter((name) => element.hasAttribute(name))
    .map((name) => `[${name}="${CSS.escape(element.getAttribute(name))}"]`)[0];
}
