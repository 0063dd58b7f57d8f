import type { StepAnswer } from '@key-cellar/contract';
import type { Criteria } from '@key-cellar/core/criteria';
import {
  dueGroups,
  findDue,
  openTasks,
  programActor,
  row,
  rows,
  takeSteps,
  batchActs,
  holdActs,
  taskActs,
  type SignedIn,
} from '@key-cellar/server';
import { demoToday } from '../records.js';
import { setClock, as, perform, on, type Loaded } from './scene.js';
import { arrange, standIn } from './arrangements.js';

const ottoline: Criteria = {
  op: 'and',
  of: [
    { op: 'words', text: 'Ottoline' },
    { op: 'between', field: 'created', from: '2012-01-01' },
  ],
};

async function proposeSeries(
  loaded: Loaded,
  login: string,
  today: string,
  seriesCode: string,
  announceIt: boolean,
  medium = 'electronic',
): Promise<string> {
  const person = await as(loaded, login, today);
  const group = (await dueGroups(loaded.services, person)).find((g) => g.seriesCode === seriesCode && g.medium === medium && g.mayPropose);
  if (!group) throw new Error(`Nothing of ${seriesCode} is due on ${today}`);
  const body = { groupKey: group.key, noticeDays: group.noticeDays, announce: announceIt };
  const { id } = await perform(loaded, person, batchActs.propose, { body });
  return id;
}

async function runBatch(loaded: Loaded, login: string, today: string, batchId: string): Promise<void> {
  const { jobId } = await perform(loaded, await as(loaded, login, today), batchActs.execute, { params: { id: batchId } });
  await loaded.services.jobs.settled(jobId);
}

async function approve(loaded: Loaded, person: SignedIn, batchId: string, note: string): Promise<void> {
  await perform(loaded, person, batchActs.approve, { params: { id: batchId }, body: { note } });
}

/** Two years of holds and batches, each act on its own day. */
export async function addActs(loaded: Loaded): Promise<void> {
  const { services, personId } = loaded;
  let inquiry = '';
  await on(loaded, '2024-03-12', async (person) => {
    const hanne = await person('hanne');
    const { id: matterId } = await perform(loaded, hanne, holdActs.makeMatter, {
      body: {
        code: 'I-2024-1',
        title: 'Grounding of the barge Ottoline',
        kind: 'inquiry',
        note: 'Inquiry of the Compact office into the grounding of 8 May 2019.',
      },
    });
    const placed = await perform(loaded, hanne, holdActs.placeHold, {
      body: {
        matterId,
        name: 'Ottoline inquiry',
        reason: 'The Compact office has opened an inquiry and asks that nothing on the barge be destroyed.',
        freeze: false,
        recordIds: [],
        criteria: ottoline,
        custodianIds: ['dario', 'lune', 'petra', 'bertil'].map((l) => personId.get(l)!),
      },
    });
    inquiry = placed.id;
  });
  await on(loaded, '2024-03-14', async (person) => {
    for (const login of ['dario', 'lune', 'bertil'])
      await perform(loaded, await person(login), holdActs.acknowledge, { params: { id: inquiry } });
  });
  for (const day of ['2024-04-12', '2026-08-20'])
    await on(loaded, day, async (person) => perform(loaded, await person('hanne'), holdActs.remind, { params: { id: inquiry } }));

  let calibrations = '';
  await on(loaded, '2026-05-04', async (person) => {
    await findDue(services, await person('ines'));
    calibrations = await proposeSeries(loaded, 'ines', '2026-05-04', 'ENV-04', true);
  });
  let returns = '';
  await on(loaded, '2026-05-05', async () => {
    returns = await proposeSeries(loaded, 'tomas', '2026-05-05', 'DRG-06', true);
  });
  await on(loaded, '2026-05-27', async (person) => {
    for (const login of ['tomas', 'dario']) await approve(loaded, await person(login), calibrations, '');
  });
  await on(loaded, '2026-05-28', () => runBatch(loaded, 'ines', '2026-05-28', calibrations));

  // Spoil returns go to the archive of the sound: packed, sent, received, and only then removed here.
  await on(loaded, '2026-06-08', async (person) => {
    for (const login of ['ines', 'dario']) await approve(loaded, await person(login), returns, '');
  });
  await on(loaded, '2026-06-09', () => runBatch(loaded, 'tomas', '2026-06-09', returns));

  await on(loaded, '2026-07-01', async (person) => {
    await findDue(services, await person('ines'));
    await proposeSeries(loaded, 'tomas', '2026-07-01', 'DRG-02', true);
  });
  await on(loaded, '2026-07-10', async (person) => {
    const hanne = await person('hanne');
    const { id: matterId } = await perform(loaded, hanne, holdActs.makeMatter, {
      body: {
        code: 'A-2026-1',
        title: 'Review of dredging contract 14',
        kind: 'audit',
        note: 'The auditors of the Compact look at contract 14 and what came before it.',
      },
    });
    const listed = await rows<{ id: string }>(
      services.pool,
      'demo.contract14',
      `(select r.id from record r join place p on p.id = r.place_id where p.code = 'C-14' and r.state <> 'disposed')
       union all
       (select r.id from record r join place p on p.id = r.place_id where p.code = 'C-09' and r.state <> 'disposed' order by r.number limit 9)`,
    );
    await perform(loaded, hanne, holdActs.placeHold, {
      body: {
        matterId,
        name: 'Dredging contract 14',
        reason: 'The auditors need the papers of contract 14 and the last ones of contract 9.',
        freeze: true,
        recordIds: listed.map((l) => l.id),
        custodianIds: [personId.get('petra')!],
      },
    });
  });

  let logs = '';
  await on(loaded, '2026-08-03', async () => {
    logs = await proposeSeries(loaded, 'ines', '2026-08-03', 'PIL-01', true, 'physical');
  });
  let invoices = '';
  await on(loaded, '2026-08-10', async () => {
    invoices = await proposeSeries(loaded, 'ines', '2026-08-10', 'FIN-02', true);
  });
  await answerSome(loaded);
  await on(loaded, '2026-08-20', async (person) => {
    for (const login of ['tomas', 'dario']) await approve(loaded, await person(login), logs, '');
    const first = await row<{ record_id: string }>(
      services.pool,
      'demo.firstItem',
      'select record_id from batch_item where batch_id = $1 order by record_id limit 1',
      [invoices],
    );
    await perform(loaded, await person('kofi'), batchActs.object, {
      params: { id: invoices },
      body: {
        recordId: first!.record_id,
        reason: 'The customer disputes this invoice; the file is with the court of Northshore.',
      },
    });
  });
  await on(loaded, '2026-08-21', () => runBatch(loaded, 'ines', '2026-08-21', logs));
  await on(loaded, '2026-08-24', async (person) => {
    const open = await row<{ id: string }>(services.pool, 'demo.objection', 'select id from objection where answered_at is null limit 1');
    await perform(loaded, await person('ines'), batchActs.answer, {
      params: { id: open!.id },
      body: {
        keep: true,
        answer: 'It stays until the court has decided.',
        until: '2027-08-31',
      },
    });
  });
  await arrange(loaded);
  await on(loaded, '2026-09-02', async (person) => {
    await approve(loaded, await person('tomas'), invoices, 'Checked against the ledger of 2015.');
    await proposeSeries(loaded, 'ines', '2026-09-02', 'SAF-03', true);
  });
  await standIn(loaded);
  await on(loaded, '2026-09-11', async (person) => {
    await findDue(services, await person('tomas'));
    await proposeSeries(loaded, 'tomas', '2026-09-11', 'HAR-02', false);
  });
  await on(loaded, demoToday, async (person) => {
    await findDue(services, await person('ines'));
    await takeSteps(services, programActor('sweep', demoToday));
  });
}

/** What owners and keepers have said so far; the rest is asked again on the demo's first day. */
async function answerSome(loaded: Loaded): Promise<void> {
  const { services } = loaded;
  const day = '2026-08-14';
  await setClock(services, day);
  await takeSteps(services, programActor('sweep', day));
  const say = async (login: string, given: StepAnswer, take: number, note: string): Promise<void> => {
    const person = await as(loaded, login, day);
    const { tasks } = await openTasks(services, person, 'mine');
    const ids = tasks.slice(0, take).map((t) => t.id);
    if (ids.length > 0) await perform(loaded, person, taskActs.answer, { body: { ids, answer: given, note } });
  };
  await say('lune', 'keep', 3, 'These pilots still sail with us.');
  await say('petra', 'notNeeded', 1, '');
  await say('tomas', 'goOn', 2, 'Nothing in these that the archive would want.');
}
