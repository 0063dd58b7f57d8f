import {
  override,
  rows,
  row,
  factActs,
  grantActs,
  placeAccessActs,
  stencilActs,
  numberingActs,
  detectorActs,
  passActs,
  placeTagActs,
  recordTagActs,
  tagActs,
} from '@key-cellar/server';
import type { GroupCode } from '../people.js';
import { detectors } from '../detectors.js';
import { recordTypes } from '../plan.js';
import { demoStencils } from '../stencils.js';
import { perform, on, type Loaded } from './scene.js';

/** What the keepers arranged in the last days of August: overrides, numbers, types, stencils, detectors. */
export async function arrange(loaded: Loaded): Promise<void> {
  const { services, personId } = loaded;
  // What the rules would let go is kept longer by hand, and once sooner.
  await on(loaded, '2026-08-27', async (person) => {
    const byTitle = (beginning: string) =>
      rows<{ id: string }>(
        services.pool,
        'demo.byTitle',
        `select r.id from record r where r.title like $1 || '%' and r.state = 'working' and r.docket = 'none' and not exists (select from hold_cover c where c.record_id = r.id and c.released_at is null) order by r.number limit 2`,
        [beginning],
      );
    const set = async (beginning: string, dueOn: string, action: 'destroy' | 'transfer', reason: string): Promise<void> => {
      const ids = (await byTitle(beginning)).map((r) => r.id);
      await perform(loaded, await person('ines'), override, {
        body: { ids, override: { kind: 'date', dueOn, action }, reason, dryRun: false },
      });
    };
    await set('Complaint of', '2041-01-01', 'transfer', 'The archive of the sound asked for complaints about the new quay.');
    await set('Fire drill', '2035-01-01', 'destroy', 'Insurers look at ten years of drills at these berths.');
    await set('School visit', '2026-12-31', 'destroy', 'Parents asked that the lists of children go this year.');
  });
  // From now on near misses are counted through the year, whatever their folder, and rosters through the month.
  await on(loaded, '2026-08-31', async (person) => {
    const ines = await person('ines');
    const numberBy = async (code: string, title: string, pattern: string, per: ('series' | 'year' | 'month')[], gapless: boolean) => {
      const { id } = await perform(loaded, ines, numberingActs.makeNumbering, { body: { title, pattern, per, gapless } });
      const [place] = await rows<{ id: string; revision: number }>(
        services.pool,
        'demo.placeByCode',
        'select id, revision from place where code = $1',
        [code],
      );
      await perform(loaded, ines, numberingActs.placeNumbering, {
        params: { id: place!.id },
        body: { revision: place!.revision, numberingId: id },
      });
    };
    await numberBy('PIL-03', 'Near misses through the year', 'NM-{year}-{nnn}', ['year'], true);
    await numberBy('PIL-06', 'Rosters by month', '{series}/{year}-{month}/{nn}', ['series', 'month'], false);
  });
  // Notices say from now on until when they hold; the older ones lack it.
  await on(loaded, '2026-08-28', async (person) => {
    await perform(loaded, await person('ines'), factActs.changeType, {
      params: { code: 'notice' },
      body: {
        version: 1,
        title: 'Notice',
        facts: [
          ...recordTypes.notice.facts,
          {
            code: 'until',
            title: 'In force until',
            kind: 'date',
            required: true,
            help: 'The day on which it ends; a later notice may end it sooner.',
          },
          {
            code: 'channels',
            title: 'Made known by',
            kind: 'choice',
            required: false,
            many: true,
            choices: ['Board', 'Radio', 'Radio / Channel 12', 'Radio / Channel 16', 'Letter'],
          },
        ],
        dryRun: false,
      },
    });
  });
  // The shelf; two staff files are made from the first version of theirs, and wait for what the second adds.
  await on(loaded, '2026-08-29', async (person) => {
    const ines = await person('ines');
    const ruleIds = new Map(
      (await rows<{ id: string; code: string }>(services.pool, 'demo.ruleIds', 'select id, code from rule')).map((r) => [r.code, r.id]),
    );
    const shelf = demoStencils({
      person: (login) => personId.get(login)!,
      group: (code) => loaded.groupId.get(code as GroupCode)!,
      rule: (code) => ruleIds.get(code)!,
    });
    for (const { subject, title, note, versions } of shelf) {
      const [first, ...later] = versions;
      const { id } = await perform(loaded, ines, stencilActs.make, { body: { subject, title, note, definition: first! } });
      if (title === 'Staff file') {
        const uses = ['Maren Tully', 'Osric Vane'].map((name) => ({ code: '', title: '', facts: { person: name }, roles: {} }));
        const { results: made } = await perform(loaded, ines, stencilActs.apply, {
          params: { id },
          body: { placeId: loaded.placeId.get('PEO-01')!, uses, dryRun: false },
        });
        const refused = made.find((m) => m.outcome !== 'done');
        if (refused) throw new Error(refused.why.say);
      }
      for (const [i, definition] of later.entries()) {
        await perform(loaded, ines, stencilActs.change, {
          params: { id },
          body: { subject, title, note, revision: i + 1, retired: false, definition },
        });
      }
    }
  });
  await on(loaded, '2026-08-31', async (person) => {
    const ines = await person('ines');
    for (const detector of detectors) await perform(loaded, ines, detectorActs.makeDetector, { body: detector });
  });
}

/** Who stood in for whom in late summer, and until when; and who was let in as a visitor. */
export async function standIn(loaded: Loaded): Promise<void> {
  const { services, personId, placeId } = loaded;
  await on(loaded, '2026-08-31', async (person) => {
    const ines = await person('ines');
    const give = (login: string, place: string, profile: 'borrower' | 'editor', until: string | null, reason: string) =>
      perform(loaded, ines, placeAccessActs.giveGrant, {
        params: { id: placeId.get(place)! },
        body: { principalId: personId.get(login)!, profile, from: null, until, reason, dryRun: false },
      });
    await give('kofi', 'DRG', 'editor', '2026-10-09', 'Stands in for Petra Solheim while she is away.');
    await give('mirela', 'SAF', 'borrower', null, 'Looks into the training of the pilots after the near misses.');
    await give('petra', 'BER', 'borrower', null, 'Checks the mooring plans of the new quay.');
  });
  await on(loaded, '2026-09-08', async (person) => {
    const grant = await row<{ id: string }>(
      services.pool,
      'demo.mirelasGrant',
      'select id from grant_ where principal_id = $1 and place_id = $2',
      [personId.get('mirela'), placeId.get('SAF')],
    );
    await perform(loaded, await person('ines'), grantActs.endGrant, {
      params: { id: grant!.id },
      body: { reason: 'The report on the training is done.', dryRun: false },
    });
    const openly = { passphrase: null, openings: null, copyOut: false, recordIds: [] };
    await perform(loaded, await person('ines'), passActs.make, {
      body: {
        ...openly,
        ...{ visitor: 'Ragnhild Moe', reason: 'The hydrographer of the Compact compares the gauges.', until: '2026-12-01' },
        placeId: placeId.get('ENV-01')!,
      },
    });
    // What the inquiry asks for lies in many series: Mirela, who speaks for the crew, takes copies of all that carries its tag.
    const ines = await person('ines');
    const { id: inquiry } = await perform(loaded, ines, tagActs.make, {
      body: { name: 'Ottoline inquiry', note: 'What the board of inquiry asked to see, in whatever series it lies.' },
    });
    await perform(loaded, ines, tagActs.give, {
      params: { id: inquiry },
      body: {
        ...{ principalId: personId.get('mirela')!, profile: 'borrower', from: null, until: '2027-03-31' },
        ...{ reason: 'Speaks for the crew before the board.', dryRun: false },
      },
    });
    const [folder] = await rows<{ id: string; revision: number }>(
      services.pool,
      'demo.inquiredFolder',
      `select id, revision from place where code = 'Q-19' and kind = 'folder'`,
      [],
    );
    const told = await rows<{ id: string }>(
      services.pool,
      'demo.inquired',
      `select id from record where title like '%Ottoline%' and state <> 'disposed' and place_id <> $1 order by number limit 6`,
      [folder!.id],
    );
    await perform(loaded, ines, placeTagActs.ofPlace, {
      params: { id: folder!.id },
      body: { tagIds: [inquiry], revision: folder!.revision, reason: 'The board asked for the whole folder.', dryRun: false },
    });
    await perform(loaded, ines, recordTagActs.ofRecords, {
      body: { ...{ recordIds: told.map((r) => r.id), put: [inquiry], take: [] }, reason: 'The board asked for them.', dryRun: false },
    });
    await perform(loaded, await person('lune'), passActs.make, {
      body: {
        ...openly,
        ...{ visitor: 'Captain Idris Falk', reason: 'Was aboard, and is asked what he saw.', until: null, openings: 3 },
        placeId: placeId.get('PIL-03')!,
      },
    });
  });
}
