// Curves over time as the server packs them: a JSON line, then int16 hundredths, curve after curve. Pure.

const ABSENT = -32768;

/**
 * Unpack an ArrayBuffer into {count, hop, start, digests, curves: {name: Float32Array}}; absent figures are NaN.
 * A curve that was not sent, because its digest was known, is taken from `kept`.
 */
export function unpackSeries(buffer, kept = null) {
  const bytes = new Uint8Array(buffer);
  const end = bytes.indexOf(10);
  const header = JSON.parse(new TextDecoder().decode(bytes.subarray(0, end)));
  const values = new Int16Array(buffer, end + 1);
  const digests = header.digests || {};
  const known = new Map(Object.entries(kept?.digests || {}).map(([name, digest]) => [digest, kept.curves[name]]));
  const curves = Object.fromEntries(
    Object.entries(digests)
      .filter(([, digest]) => known.has(digest))
      .map(([name, digest]) => [name, known.get(digest)]),
  );
  header.curves.forEach((name, index) => {
    const curve = new Float32Array(header.count);
    for (let i = 0; i < header.count; i += 1) {
      const value = values[index * header.count + i];
      curve[i] = value === ABSENT ? NaN : value / 100;
    }
    curves[name] = curve;
  });
  return { count: header.count, hop: header.hop_s, start: header.start_s || 0, digests, curves };
}

/** The time at which a stretch is loudest; its middle where nothing is known. */
export function loudestTime(series, from, to) {
  let best = -1;
  const curve = series?.curves.momentary_lufs;
  for (let i = Math.floor(from / (series?.hop || 1)); curve && i < Math.min(curve.length, to / series.hop); i += 1) {
    if (!Number.isNaN(curve[i]) && (best < 0 || curve[i] > curve[best])) best = i;
  }
  return best < 0 ? (from + to) / 2 : series.start + best * series.hop;
}

/**
 * A level curve smoothed over an odd number of blocks as energy, where `keep` says so (all where it is missing); NaN
 * elsewhere.
 */
export function smoothLevel(curve, blocks, keep) {
  const half = (blocks - 1) / 2;
  const result = new Float32Array(curve.length).fill(NaN);
  for (let i = 0; i < curve.length; i += 1) {
    if (keep && !keep[i]) continue;
    let energy = 0;
    let count = 0;
    for (let k = Math.max(0, i - half); k <= Math.min(curve.length - 1, i + half); k += 1) {
      if ((keep && !keep[k]) || Number.isNaN(curve[k])) continue;
      energy += 10 ** (curve[k] / 10);
      count += 1;
    }
    if (count) result[i] = 10 * Math.log10(energy / count);
  }
  return result;
}
