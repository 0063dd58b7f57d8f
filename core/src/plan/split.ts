/** A folder of a series that is split. */
export interface SplitFolder {
  readonly id: string;
  /** The folder around it; null right in the series. */
  readonly parentId: string | null;
  /** Live records right in it. */
  readonly live: number;
  /** How many of them are wanted by each part, by the number of the part. */
  readonly wanted: ReadonlyMap<number, number>;
  /** The part that it was chosen for with all that is in it. */
  readonly chosen: number | null;
}

/** What becomes of a folder: it goes to a part with all that is in it, or is divided between what stays and some parts. */
export type SplitStep =
  | { readonly folderId: string; readonly what: 'moves'; readonly part: number }
  | { readonly folderId: string; readonly what: 'divided'; readonly parts: readonly number[] };

/**
 * What becomes of the folders of a series, outermost first; of those that stay as they are nothing is said, nor of those in one that moves. A folder
 * moves when it was chosen, or when all live records in it, however deep, are wanted by one part; it is divided when some are. An empty folder stays.
 */
export function splitSteps(folders: readonly SplitFolder[]): SplitStep[] {
  const inside = new Map<string | null, SplitFolder[]>();
  for (const folder of folders) inside.set(folder.parentId, [...(inside.get(folder.parentId) ?? []), folder]);
  const sums = new Map<string, { live: number; wanted: Map<number, number> }>();
  const add = (to: Map<number, number>, from: ReadonlyMap<number, number>): void => {
    for (const [part, n] of from) to.set(part, (to.get(part) ?? 0) + n);
  };
  const sum = (folder: SplitFolder): { live: number; wanted: Map<number, number> } => {
    const total = { live: folder.live, wanted: new Map(folder.wanted) };
    for (const child of inside.get(folder.id) ?? []) {
      const deeper = sum(child);
      total.live += deeper.live;
      add(total.wanted, deeper.wanted);
      // A chosen folder goes whether anything is in it or not, so that what is around it is divided.
      if (child.chosen !== null) add(total.wanted, new Map([[child.chosen, 0]]));
    }
    sums.set(folder.id, total);
    return total;
  };
  for (const folder of inside.get(null) ?? []) sum(folder);
  const steps: SplitStep[] = [];
  const walk = (folder: SplitFolder): void => {
    const { live, wanted } = sums.get(folder.id)!;
    const whole = folder.chosen ?? [...wanted].find(([, n]) => n > 0 && n === live)?.[0];
    if (whole !== undefined) {
      steps.push({ folderId: folder.id, what: 'moves', part: whole });
      return;
    }
    if (wanted.size === 0) return;
    steps.push({ folderId: folder.id, what: 'divided', parts: [...wanted.keys()].sort((a, b) => a - b) });
    for (const child of inside.get(folder.id) ?? []) walk(child);
  };
  for (const folder of inside.get(null) ?? []) walk(folder);
  return steps;
}
