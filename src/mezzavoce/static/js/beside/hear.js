// Both mixes run side by side and one of them is heard, so that switching goes without a gap at the same place.

const RUN_UP_S = 2;
const RUN_OUT_S = 1;
const APART_S = 0.08;

/** Player of the two sides; `onTime` is called while it runs. */
export function makeHear(sides, onTime) {
  let heard = "new";
  const button = document.getElementById("play");
  const [former, fresh] = sides;
  const runs = () => sides.some(({ sound }) => !sound.paused);
  const usable = () => sides.filter(({ place }) => place);

  function choose(name) {
    heard = usable().some((side) => side.name === name) ? name : heard;
    sides.forEach((side) => {
      side.sound.muted = side.name !== heard;
    });
    document
      .querySelectorAll("[data-hear]")
      .forEach((one) => one.setAttribute("aria-pressed", String(one.dataset.hear === heard)));
  }

  function stop() {
    sides.forEach(({ sound }) => sound.pause());
    button.querySelector("[data-play]").textContent = "Play";
  }

  function play() {
    usable().forEach(({ sound, place }) => {
      sound.currentTime = Math.max(0, place[0] - RUN_UP_S);
    });
    if (!usable().some((side) => side.name === heard)) choose(usable()[0]?.name);
    usable().forEach(({ sound }) => sound.play().catch(() => {}));
    button.querySelector("[data-play]").textContent = "Pause";
    requestAnimationFrame(watch);
  }

  /** The one that is not heard follows the other; both end behind the note. */
  function watch() {
    if (!runs()) return;
    const lead = sides.find((side) => side.name === heard);
    if (lead.place && lead.sound.currentTime > lead.place[1] + RUN_OUT_S) stop();
    if (former.place && fresh.place) {
      const other = lead === former ? fresh : former;
      const wanted = other.place[0] + (lead.sound.currentTime - lead.place[0]);
      if (Math.abs(other.sound.currentTime - wanted) > APART_S && wanted > 0) other.sound.currentTime = wanted;
    }
    onTime();
    requestAnimationFrame(watch);
  }

  const toggle = () => (runs() ? stop() : play());
  button.addEventListener("click", toggle);
  document
    .querySelectorAll("[data-hear]")
    .forEach((one) => one.addEventListener("click", () => choose(one.dataset.hear)));
  choose("new");
  return { toggle, choose, stop };
}
