/** A jurisdiction and the wider one that it is part of, by name. */
export interface Jurisdiction {
  readonly name: string;
  readonly partOf: string | null;
}

/**
 * Jurisdictions with all wider ones: a rule of the whole sound applies on both of its shores. Unknown names stay as
 * they are; a circle ends where it began.
 */
export function widened(names: readonly string[], all: readonly Jurisdiction[]): string[] {
  const wider = new Map(all.map((j) => [j.name, j.partOf]));
  const found = new Set<string>();
  for (const name of names) {
    for (let at: string | null = name; at !== null && !found.has(at); at = wider.get(at) ?? null) found.add(at);
  }
  return [...found];
}

/** Whether a jurisdiction may become part of another without closing a circle. */
export function mayBePartOf(name: string, partOf: string, all: readonly Jurisdiction[]): boolean {
  return !widened([partOf], all).includes(name);
}
