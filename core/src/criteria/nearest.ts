/** How many letters must be changed, added, taken out or swapped with their neighbour to make `a` into `b`. */
function distance(a: string, b: string): number {
  let older: number[] = [];
  let old = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const change = a[i - 1] === b[j - 1] ? 0 : 1;
      row[j] = Math.min(old[j]! + 1, row[j - 1]! + 1, old[j - 1]! + change);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) row[j] = Math.min(row[j]!, older[j - 2]! + 1);
    }
    [older, old] = [old, row];
  }
  return old[b.length]!;
}

/** Up to three of the names that a mistyped text may mean, the likeliest first. */
export function nearest(text: string, names: readonly string[], fold: (text: string) => string): string[] {
  const wanted = fold(text);
  if (wanted === '') return [];
  const most = Math.max(1, Math.floor(wanted.length / 3));
  return names
    .map((name) => {
      const form = fold(name);
      const far = Math.abs(form.length - wanted.length) > most && !form.startsWith(wanted) ? Infinity : distance(wanted, form);
      return { name, far: form.startsWith(wanted) ? Math.min(far, 1) : far };
    })
    .filter(({ far }) => far <= most)
    .sort((a, b) => a.far - b.far || (a.name < b.name ? -1 : 1))
    .slice(0, 3)
    .map(({ name }) => name);
}
