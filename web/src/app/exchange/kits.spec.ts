import { TestBed } from '@angular/core/testing';
import type { KitLine, PackageOutcome } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { Kits } from './kits';

const line = (code: string, title: string): KitLine => ({
  code,
  title,
  about: `About ${title}`,
  series: 14,
  rules: 10,
  recordTypes: 5,
  groups: 5,
});
const outcome = (changes: PackageOutcome['changes'], errors: PackageOutcome['errors'] = []): PackageOutcome => ({
  items: 2,
  changes,
  conflicts: [],
  errors,
  warnings: [],
  access: null,
  dates: null,
  recomputed: 0,
});
const change = (name: string, what: 'new' | 'kept'): PackageOutcome['changes'][number] => ({
  section: 'places',
  name,
  sentence: 'is here already',
  what,
});

describe('kits', () => {
  async function show(): Promise<Stage<Kits>> {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(Kits);
    await stage.answer('/api/kits?language=en', { kits: [line('council', 'Council'), line('club', 'Club')] });
    return stage;
  }
  const words = (stage: Stage<Kits>): string => stage.text().replace(/\s+/g, ' ');

  it('say what each brings, and lead to it as a package in the language that is chosen', async () => {
    const stage = await show();
    expect(words(stage)).toContain('14 series, 10 rules, 5 record types, 5 groups');
    const links = [...stage.host.querySelectorAll<HTMLAnchorElement>('a[download]')].map((a) => a.getAttribute('href'));
    expect(links).toEqual(['/api/kits/council/package?language=en', '/api/kits/club/package?language=en']);
  });

  it('are tried before anything is taken in, and taken in as they were tried', async () => {
    const stage = await show();
    await stage.press('Try the kit Council');
    const tried = await stage.answer('/api/kits/council', outcome([change('GOV', 'new'), change('FIN', 'kept')]));
    expect(tried.request.body).toEqual({ language: 'en', dryRun: true });
    expect(words(stage)).toContain('1 of 2 items are new or change.');
    expect(words(stage)).toContain('FIN – is here already');
    await stage.press('Apply one change');
    const done = await stage.answer('/api/kits/council', outcome([change('GOV', 'new')]));
    expect(done.request.body).toEqual({ language: 'en', dryRun: false });
    expect(words(stage)).toContain('Council: imported.');
  });

  it('of which nothing is new are not offered to be taken in', async () => {
    const stage = await show();
    await stage.press('Try the kit Club');
    await stage.answer('/api/kits/club', outcome([change('FIN', 'kept')]));
    expect(words(stage)).toContain('nothing in them is new');
    expect(words(stage)).not.toContain('Apply');
  });

  it('that are wrong say so, and are not taken in', async () => {
    const stage = await show();
    await stage.press('Try the kit Club');
    await stage.answer('/api/kits/club', outcome([change('GOV', 'new')], [{ section: 'places', name: 'GOV', sentence: 'is wrong' }]));
    expect(words(stage)).toContain('One thing is wrong.');
    expect(words(stage)).not.toContain('Apply');
  });
});
