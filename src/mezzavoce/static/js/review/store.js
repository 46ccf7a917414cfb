// The state of the review page in one place; whoever draws listens.

/** A store with `get`, `set` and `watch`. */
export function makeStore(initial) {
  let state = initial;
  const watchers = [];
  return {
    get: () => state,
    set(changes) {
      state = { ...state, ...changes };
      watchers.forEach((watcher) => watcher(state, changes));
    },
    watch: (watcher) => watchers.push(watcher),
  };
}
