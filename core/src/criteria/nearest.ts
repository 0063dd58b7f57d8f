import { distance } from 'fastest-levenshtein';

/** Up to three of the names that a mistyped text may mean, the likeliest first: one that has a word that it begins, or a third of its letters off. */
export function nearest(text: string, names: readonly string[], fold: (text: string) => string): string[] {
  const wanted = fold(text);
  if (wanted === '') return [];
  const most = Math.ceil(wanted.length / 3);
  return names
    .map((name) => {
      const form = fold(name);
      return { name, far: ` ${form}`.includes(` ${wanted}`) ? Math.min(form.length - wanted.length, 1) : distance(wanted, form) };
    })
    .filter(({ far }) => far <= most)
    .sort((a, b) => a.far - b.far || (a.name < b.name ? -1 : 1))
    .slice(0, 3)
    .map(({ name }) => name);
}
