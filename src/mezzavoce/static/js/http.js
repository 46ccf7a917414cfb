// Talking with the server: sending forms, asking what changed, saying what went wrong.

/** The token that forms carry. */
function token() {
  const field = document.querySelector("input[name=csrfmiddlewaretoken]");
  return field ? field.value : "";
}

/** Show a sentence for a while. */
export function say(sentence, wrong = false) {
  const place = document.getElementById("say");
  if (!place) return;
  place.textContent = sentence;
  place.classList.toggle("is-wrong", wrong);
  place.hidden = false;
  clearTimeout(say.timer);
  say.timer = setTimeout(
    () => {
      place.hidden = true;
    },
    wrong ? 9000 : 2500,
  );
}

/**
 * Send something; resolves with the JSON answer, rejects with an Error whose message is the server's sentence (and
 * `status`, `answer`).
 */
export async function send(address, body, method = "POST", headers = {}) {
  let response;
  try {
    response = await fetch(address, {
      method,
      body,
      credentials: "same-origin",
      headers: { Accept: "application/json", "X-CSRFToken": token(), ...headers },
    });
  } catch {
    throw Object.assign(new Error("The connection broke off. Nothing is lost here; try again."), { status: 0 });
  }
  const answer = await response.json().catch(() => ({}));
  if (!response.ok) {
    throw Object.assign(
      new Error(answer.error || "The server did not understand that. Reload the page and try again."),
      { status: response.status, answer },
    );
  }
  return answer;
}

/** What our own server says that changed; an empty answer where nothing did. */
export async function changes(address) {
  const response = await fetch(address, { credentials: "same-origin", headers: { Accept: "application/json" } });
  if (response.status === 204) return {};
  if (!response.ok) throw new Error("This part could not be refreshed; reload the page.");
  return response.json();
}

/** A key that makes a repeated request harmless. */
export function clientKey() {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join("");
}
