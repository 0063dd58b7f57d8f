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

/**
 * Runs both works in turns and says the ratio of their medians. With `alternate` false, ours runs once
 * (its work cannot be repeated) and the bare work once.
 */
export async function ratio(
  what: string,
  against: string,
  ours: () => void | Promise<void>,
  bare: () => void | Promise<void>,
  target: number,
  rounds = 5,
  warm = true,
): Promise<void> {
  const times: [number[], number[]] = [[], []];
  if (warm && rounds > 1) {
    await ours();
    await bare();
  }
  for (let i = 0; i < rounds; i++) {
    for (const [index, work] of [bare, ours].entries()) {
      const begin = performance.now();
      await work();
      times[index === 0 ? 1 : 0].push(performance.now() - begin);
    }
  }
  say(what, against, median(times[0]) / median(times[1]), target);
}
