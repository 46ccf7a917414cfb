// Picture and sound: goes to findings with a run-up, loops, tells the time.

export const RUN_UP = 2;
const RUN_OUT = 1;

/** Drive the video element, if there is one. `tell` hears the time and whether it plays. */
export function makePlayer(video, duration, tell) {
  let span = null;
  let looping = false;
  let time = 0;

  function report() {
    if (video) time = video.currentTime;
    if (span && time >= span.to) {
      if (looping) seek(span.from);
      else if (span.stop) {
        video?.pause();
        span = null;
      }
    }
    tell(time, Boolean(video && !video.paused));
  }

  function seek(to) {
    time = Math.min(Math.max(0, to), duration);
    if (video) video.currentTime = time;
  }

  function frame() {
    if (video && !video.paused) report();
    requestAnimationFrame(frame);
  }

  if (video) ["play", "pause", "seeked", "loadeddata"].forEach((name) => video.addEventListener(name, report));
  requestAnimationFrame(frame);

  return {
    seek(to) {
      seek(to);
      span = looping ? span : null;
      tell(time, Boolean(video && !video.paused));
    },
    toggle() {
      if (video) {
        if (video.paused) video.play();
        else video.pause();
      }
    },
    /** Go to a finding with two seconds of run-up; plays unless told not to. */
    visit(mark, play = true) {
      span = { from: Math.max(0, mark.in - RUN_UP), to: Math.min(duration, mark.out + RUN_OUT), stop: true };
      seek(span.from);
      if (play && video) video.play().catch(() => {});
      report();
    },
    loop(mark) {
      looping = !looping;
      if (looping && mark) this.visit(mark);
      return looping;
    },
    /** Where the picture is now, told or not. */
    time: () => (video?.readyState ? video.currentTime : time),
  };
}
