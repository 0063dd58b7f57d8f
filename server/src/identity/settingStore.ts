import { dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { type Db, row, run } from '../kernel/index.js';

export interface Settings {
  readonly repository: string;
  readonly timeZone: string;
  readonly demo: boolean;
  readonly offsetDays: number;
  /** The repository's date: the clock's date in its zone, moved by the demo offset. */
  readonly today: string;
}

const dayMs = 86_400_000;

export async function readSettings(db: Db, now: number = Date.now()): Promise<Settings> {
  const found = await row<{ repository: { name: string; timeZone: string } | null; clock: { demo: boolean; offsetDays: number } | null }>(
    db,
    'setting.read',
    `select (select value from setting where name = 'repository') as repository,
            (select value from setting where name = 'clock') as clock`,
  );
  const timeZone = found?.repository?.timeZone ?? 'UTC';
  const offsetDays = found?.clock?.offsetDays ?? 0;
  return {
    repository: found?.repository?.name ?? 'Key Cellar',
    timeZone,
    demo: found?.clock?.demo ?? false,
    offsetDays,
    today: formatCivilDate(dateInZone(now + offsetDays * dayMs, timeZone)),
  };
}

/** A setting, which nobody else changes until the transaction ends; null where it was never set. */
export async function lockSetting<T>(db: Db, name: string): Promise<T | null> {
  return (await row<{ value: T }>(db, 'setting.lock', 'select value from setting where name = $1 for update', [name]))?.value ?? null;
}

/** After how long sessions end, as the keeper set it; else after so many minutes without use, and twelve hours. */
export async function sessionLimits(db: Db, usualMinutes: number): Promise<{ readonly idleMinutes: number; readonly hours: number }> {
  const found = await row<{ value: { idleMinutes: number; hours: number } }>(
    db,
    'setting.sessionLimits',
    `select value from setting where name = 'sessionLimits'`,
  );
  return found?.value ?? { idleMinutes: usualMinutes, hours: 12 };
}

export async function writeSetting(db: Db, name: string, value: unknown): Promise<void> {
  await run(
    db,
    'setting.write',
    'insert into setting (name, value) values ($1, $2) on conflict (name) do update set value = excluded.value',
    [name, JSON.stringify(value)],
  );
}

/** The accounts that the sign-in page of a demo lists. */
export async function demoAccounts(db: Db): Promise<{ name: string; login: string; what: string }[]> {
  const found = await row<{ value: { name: string; login: string; what: string }[] }>(
    db,
    'setting.demoAccounts',
    `select value from setting where name = 'demoAccounts'`,
  );
  return found?.value ?? [];
}
