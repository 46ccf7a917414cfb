// The wave between samples. Pure.
const REACH = 12;

/** Values between samples, `times` of them for each, by a windowed sinc; as long as the samples reach. */
export function interpolated(samples, times) {
  const result = [];
  for (let n = 0; n < (samples.length - 1) * times + 1; n += 1) {
    const at = n / times;
    const first = Math.max(0, Math.floor(at) - REACH + 1);
    const last = Math.min(samples.length - 1, Math.floor(at) + REACH);
    let value = 0;
    for (let k = first; k <= last; k += 1) {
      const x = at - k;
      const sinc = x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x);
      value += samples[k] * sinc * Math.cos((Math.PI * x) / (2 * REACH + 1)) ** 2;
    }
    result.push(value);
  }
  return result;
}
