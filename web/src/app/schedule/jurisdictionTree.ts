import type { JurisdictionLine } from '@key-cellar/contract';

export interface TreeLine extends JurisdictionLine {
  readonly depth: number;
}

/** Jurisdictions in the order of a tree, each with how deep it stands. */
export function asTree(all: readonly JurisdictionLine[]): TreeLine[] {
  const inside = (partOf: string | null, depth: number): TreeLine[] =>
    all.filter((j) => j.partOf === partOf).flatMap((j) => [{ ...j, depth }, ...inside(j.name, depth + 1)]);
  return inside(null, 0);
}
