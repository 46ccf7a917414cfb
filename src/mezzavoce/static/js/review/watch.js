// Looks after what is still in the making. Nothing is reloaded under somebody's hands: a page that shows figures offers the new ones.
import { fragment } from "../talk.js";

const TURN_MS = 1000;

/** Ask every second until mix and picture are there; `hasFigures` says whether the page shows any. */
export async function watchMeasuring(hasFigures) {
  const place = document.getElementById("measuring");
  const player = document.getElementById("player");
  const measuring = (element) => ["waiting", "running"].includes(element.dataset.state);
  const preparing = player && !["ready", "failed"].includes(player.dataset.state);
  if (!place || !(measuring(place) || preparing)) return;
  await new Promise((resolve) => setTimeout(resolve, TURN_MS));
  try {
    const fresh = (await fragment(place.dataset.address)).firstElementChild;
    if (preparing && fresh.dataset.playback === "ready") showPlayer(player);
    if (measuring(place) && !measuring(fresh)) {
      if (!hasFigures) {
        location.reload();
        return;
      }
      if (fresh.dataset.state === "measured") fresh.innerHTML = '<p>Measured again. <a href="">Show the new figures</a></p>';
    }
    place.replaceWith(fresh);
  } catch {
    // The next turn tries again.
  }
  watchMeasuring(hasFigures);
}

function showPlayer(player) {
  const video = document.getElementById("video");
  player.dataset.state = "ready";
  video.src = video.dataset.src;
  document.getElementById("play").hidden = false;
  player.querySelector("[data-preparing]")?.remove();
}
