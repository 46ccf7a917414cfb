// While a stretch is under the hand the server looks at it ahead: what is saved then is judged again in a moment.
import { send } from "../http.js";

const REST_MS = 250;

/**
 * Returns a function that takes the form of what is about to be said (null: nothing); the server hears of it when the
 * hand rests, one after the other.
 */
export function makePrejudge(address) {
  let newest = null;
  let timer = 0;
  let under = Promise.resolve();

  // Nobody waits for an answer, and what is wrong is said when it is saved.
  const look = (body) => (body === newest ? send(address, body).catch(() => {}) : null);

  return (body) => {
    newest = body;
    clearTimeout(timer);
    if (body)
      timer = setTimeout(() => {
        under = under.then(() => look(body));
      }, REST_MS);
  };
}
