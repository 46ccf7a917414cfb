// One place that listens for keys. They rest while somebody types, and Enter and Space keep their meaning on controls.

/** Call the action whose key was pressed; `actions` maps "j", "Enter", " " … to functions. */
export function onKeys(actions) {
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || document.body.classList.contains("modal-open")) return;
    const target = event.target;
    if (target.closest("input:not([type=checkbox]), textarea, select")) return;
    if ((event.key === "Enter" || event.key === " ") && target.closest("a, button, summary, video, [role=tab]")) return;
    const action = actions[event.key] || actions[event.key.toLowerCase()];
    if (!action) return;
    event.preventDefault();
    action(event);
  });
}
