export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)]!;
}

export function p95(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * 0.95))]!;
}

/** One line: what, against what, the ratio, the target, and whether it is met. */
export function say(what: string, against: string, measured: number, target: number, note = ''): void {
  const met = measured <= target ? '' : '  MISSED';
  process.stdout.write(
    `${what.padEnd(58)} ${against.padEnd(42)} ${measured.toFixed(2).padStart(5)}  ≤ ${target}${met}${note ? `  (${note})` : ''}\n`,
  );
}

type Work = () => void | Promise<unknown>;

const rounds = 5;

/** Runs both works in turns, once to warm up and then five times, and says the ratio of their medians. `before` is not counted. */
export async function ratio(what: string, against: string, ours: Work, bare: Work, target: number, before?: Work): Promise<void> {
  const times: [number[], number[]] = [[], []];
  for (let round = 0; round <= rounds; round++) {
    await before?.();
    for (const [index, work] of [ours, bare].entries()) {
      const begin = performance.now();
      await work();
      if (round > 0) times[index]!.push(performance.now() - begin);
    }
  }
  const [mine, other] = times.map(median) as [number, number];
  say(what, against, mine / other, target, `${mine.toFixed(0)} ms against ${other.toFixed(0)} ms`);
}
