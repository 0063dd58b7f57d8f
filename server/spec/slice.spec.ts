import { execFileSync } from 'node:child_process';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { docket, holds, ledger, plan, receiving, records, reports, steps } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { approvedBatch, executeAndWait, makeWorld, rackDifferences, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('one file from receiving to certificate', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  let kept: { id: string };
  let gone: { id: string };
  let batchId: string;

  chapter('says what the schedule would do before filing', async () => {
    await world.rule('R-1', world.ids.A01);
    const editor = world.as('editor');
    const arrivalId = await editor.upload('letter.txt', 'a letter');
    const filing = { arrivalId, title: 'Letter', recordType: 'note', placeId: world.ids.A01, createdOn: '2026-01-31', facts: {} };
    const { previews } = await editor.call(receiving.preview, { body: { filings: [filing] } });
    expect(previews[0]!.explanation.summary).toBe('Kept until 30 Jan 2027, then destroyed.');
    expect(previews[0]!.gaps).toEqual(['Topic']);
    const wrong = await editor.call(receiving.preview, { body: { filings: [{ ...filing, placeId: world.ids.B01 }] } });
    expect(wrong.previews[0]!.problems.length).toBe(1);
    expect(wrong.previews[0]!.explanation.outcome).toBe('unscheduled');
  });

  chapter('files, numbers and dates a record; a second with the same bytes is noticed', async () => {
    kept = await world.file('editor', { title: 'Kept by a hold', text: 'the same bytes', createdOn: '2025-03-10' });
    gone = await world.file('editor', { title: 'Goes', createdOn: '2025-03-10' });
    const editor = world.as('editor');
    await editor.upload('copy.txt', 'the same bytes');
    const { arrivals } = await editor.call(receiving.list);
    expect(arrivals.find((a) => a.fileName === 'copy.txt')!.sameAs[0]!.id).toBe(kept.id);
    const dossier = await editor.call(records.dossier, { params: { id: gone.id } });
    expect(dossier.number).toMatch(/^A-01\/2026\/000\d$/);
    expect(dossier.dueOn).toBe('2026-03-10');
    expect(dossier.why.governing!.setOn).toBe('series A-01');
    expect(dossier.versions[0]!.sha256).toMatch(/^[0-9a-f]{64}$/);
  });

  chapter('changes facts with the newest revision only, and dates anew', async () => {
    const editor = world.as('editor');
    const { revision, facts, title } = await editor.call(records.dossier, { params: { id: gone.id } });
    const change = { params: { id: gone.id }, body: { revision, title, createdOn: '2025-04-01', facts } };
    await editor.call(records.editFacts, change);
    expect(await statusOf(editor.call(records.editFacts, change))).toBe(412);
    expect((await editor.call(records.dossier, { params: { id: gone.id } })).dueOn).toBe('2026-04-01');
    const wrong = { ...change, body: { ...change.body, revision: revision + 1, facts: { ...facts, ended: 'soon' } } };
    expect(await statusOf(editor.call(records.editFacts, wrong))).toBe(422);
  });

  chapter('declares: afterwards nothing changes it', async () => {
    const steward = world.as('steward');
    const { results } = await steward.call(records.declare, { body: { ids: [kept.id, gone.id, world.ids.box] } });
    expect(results.map((r) => r.outcome)).toEqual(['done', 'done', 'refused']);
    const { revision } = await steward.call(records.dossier, { params: { id: gone.id } });
    expect(
      await statusOf(
        steward.call(records.editFacts, { params: { id: gone.id }, body: { revision, title: 'x', createdOn: today, facts: {} } }),
      ),
    ).toBe(409);
    const arrivalId = await steward.upload('new.txt', 'new version');
    expect(await statusOf(steward.call(records.addVersion, { params: { id: gone.id }, body: { arrivalId, note: '' } }))).toBe(409);
    const again = await steward.call(records.declare, { body: { ids: [gone.id] } });
    expect(again.results[0]!.outcome).toBe('skipped');
  });

  chapter('goes through the gates, and a hold placed on the way saves its record', async () => {
    batchId = await approvedBatch(world);
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'M-1', title: 'Matter', kind: 'case', note: '' } });
    const hold = await counsel.call(holds.placeHold, {
      body: { matterId, name: 'Hold one', reason: 'the court asks', freeze: false, recordIds: [kept.id], custodianIds: [world.ids.editor] },
    });
    expect(hold.covered).toBe(1);
    expect(await executeAndWait(world, batchId)).toBe('1 destroyed, 1 not.');
    const page = await world.as('keeper').call(docket.batch, { params: { id: batchId } });
    expect(page.state).toBe('done');
    const outcome = (id: string) => page.items.find((i) => i.recordId === id)!;
    expect(outcome(gone.id).outcome).toBe('disposed');
    expect(outcome(kept.id)).toEqual(jasmine.objectContaining({ outcome: 'blocked', reason: 'It is held.' }));
  });

  chapter('leaves a stub, a certificate and nothing of the content', async () => {
    const keeper = world.as('keeper');
    const stub = await keeper.call(records.dossier, { params: { id: gone.id } });
    expect(stub.state).toBe('disposed');
    expect(stub.facts).toEqual({ topic: 'harbour' });
    expect(stub.versions).toEqual([]);
    expect((await keeper.fetch(`/api/records/${gone.id}/preview`)).status).toBe(404);
    const pdf = await keeper.fetch(`/api/certificates/${stub.certificate!.id}`);
    expect(pdf.headers.get('key-cellar-ledger-head')).toMatch(/^[1-9]\d* [0-9a-f]{64}$/);
    const path = join(await mkdtemp(join(tmpdir(), 'certificate-')), 'certificate.pdf');
    await writeFile(path, Buffer.from(await pdf.arrayBuffer()));
    // A program that is not ours finds nothing wrong with it.
    expect(execFileSync('qpdf', ['--check', path], { encoding: 'utf8' })).toContain('No syntax or stream encoding errors found');
    const { entries } = await keeper.call(ledger.entries, { query: { subject: gone.id } });
    expect(entries.map((e) => e.act)).toEqual(['destroyed', 'came due', 'declared', 'changed facts', 'filed']);
    const orphans = await asOwner(world.database, (client) =>
      client.query(
        'select count(*) as n from content c where not exists (select from version v where v.content_id = c.id) and not exists (select from arrival a where a.content_id = c.id)',
      ),
    );
    expect(Number(orphans.rows[0].n)).toBe(0);
    expect((await keeper.fetch(`/api/records/${kept.id}/preview`)).status).toBe(200);
  });

  chapter('a released record is due again and needs a new notice', async () => {
    const counsel = world.as('counsel');
    const { matters } = await counsel.call(holds.matters);
    const holdId = matters[0]!.holds[0]!.id;
    expect(await statusOf(counsel.call(holds.release, { params: { id: holdId }, body: { reason: '' } }))).toBe(422);
    await counsel.call(holds.release, { params: { id: holdId }, body: { reason: 'the case is settled' } });
    const { groups } = await world.as('keeper').call(docket.due);
    expect(groups[0]!.count).toBe(1);
    expect(groups[0]!.held).toBe(0);
  });

  chapter('destroys nothing before its day, nor by the proposer alone', async () => {
    const early = await world.file('editor', { createdOn: '2026-08-01', place: world.ids.A02 });
    await world.rule(
      'R-2',
      world.ids.A02,
      ruleDefinition({ steps: [{ kind: 'destroy', after: 'P1M', from: 'clockStart', approvals: 2, noticeDays: 3 }] }),
    );
    const keeper = world.as('keeper');
    await world.setToday(today);
    await keeper.call(steps.sweep);
    const group = (await keeper.call(docket.due)).groups.find((g) => g.seriesCode === 'A-02')!;
    expect(await statusOf(keeper.call(docket.propose, { body: { groupKey: group.key, noticeDays: 1, announce: true } }))).toBe(422);
    const { id } = await keeper.call(docket.propose, { body: { groupKey: group.key, noticeDays: 3, announce: true } });
    expect(await statusOf(keeper.call(docket.execute, { params: { id } }))).toBe(409);
    expect(await statusOf(world.as('approver').call(docket.approve, { params: { id }, body: { note: '' } }))).toBe(409);
    await world.setToday('2026-09-20');
    await keeper.call(docket.approve, { params: { id }, body: { note: '' } });
    expect(await statusOf(keeper.call(docket.execute, { params: { id } }))).toBe(409);
    await world.as('approver').call(docket.approve, { params: { id }, body: { note: '' } });
    // The clock of the record is moved on after the approval: it is judged again and stays.
    const { revision, facts, title } = await keeper.call(records.dossier, { params: { id: early.id } });
    await keeper.call(records.editFacts, { params: { id: early.id }, body: { revision, title, createdOn: '2026-09-10', facts } });
    // The batch shows it at once, not only when it is executed.
    const seen = await keeper.call(docket.batch, { params: { id } });
    expect([seen.notDue, seen.items[0]!.outcome, seen.items[0]!.reason]).toEqual([
      1,
      'open',
      'It is no longer due under the rule in force.',
    ]);
    expect(await executeAndWait(world, id)).toBe('0 destroyed, 1 not.');
    const after = await keeper.call(docket.batch, { params: { id } });
    expect([after.notDue, after.items[0]!.outcome]).toEqual([0, 'dropped']);
  });

  chapter('a physical item waits for a person, with date, method and witness', async () => {
    const keeper = world.as('keeper');
    const { recordId } = await keeper.call(receiving.describePhysical, {
      body: {
        title: 'Chart roll',
        recordType: 'note',
        placeId: world.ids.A01,
        createdOn: '2024-01-01',
        facts: { topic: 'charts' },
        containerId: world.ids.box,
      },
    });
    await keeper.call(steps.sweep);
    const group = (await keeper.call(docket.due)).groups.find((g) => g.medium === 'physical')!;
    const { id } = await keeper.call(docket.propose, { body: { groupKey: group.key, noticeDays: 0, announce: true } });
    await world.setToday('2026-09-22');
    await world.as('deputy').call(docket.approve, { params: { id }, body: { note: '' } });
    expect(await executeAndWait(world, id)).toBe('0 destroyed, 0 not, 1 waits for a person.');
    const confirm = { params: { id }, body: { recordIds: [recordId], on: '2026-09-21', method: 'shredded', witness: 'A. Witness' } };
    expect(await statusOf(keeper.call(docket.confirm, { ...confirm, body: { ...confirm.body, on: '2027-01-01' } }))).toBe(422);
    await keeper.call(docket.confirm, confirm);
    expect((await keeper.call(records.dossier, { params: { id: recordId } })).state).toBe('disposed');
    expect((await keeper.call(docket.batch, { params: { id } })).certificate).not.toBeNull();
  });

  chapter('an objection stops the batch until it is answered', async () => {
    const keeper = world.as('keeper');
    const group = (await keeper.call(docket.due)).groups.find((g) => g.seriesCode === 'A-01')!;
    const { id } = await keeper.call(docket.propose, { body: { groupKey: group.key, noticeDays: 0, announce: true } });
    await world.as('editor').call(docket.object, { params: { id }, body: { recordId: kept.id, reason: 'still needed' } });
    await world.setToday('2026-09-25');
    expect(await statusOf(world.as('approver').call(docket.approve, { params: { id }, body: { note: '' } }))).toBe(409);
    const { objectionList } = await keeper.call(docket.batch, { params: { id } });
    await keeper.call(docket.answer, {
      params: { id: objectionList[0]!.id },
      body: { keep: true, answer: 'it stays', until: '2027-09-25' },
    });
    expect((await keeper.call(docket.batch, { params: { id } })).items[0]!.outcome).toBe('deferred');
    await keeper.call(docket.withdraw, { params: { id }, body: { reason: 'nothing is left in it' } });
  });

  chapter('closing a folder and recording an event start the clocks that wait for them', async () => {
    const keeper = world.as('keeper');
    await world.rule(
      'R-E',
      world.ids.B01,
      ruleDefinition({ trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' }, cutoff: { kind: 'calendarYear' } }),
    );
    const { id: folder } = await keeper.call(plan.makePlace, {
      body: { parentId: world.ids.B01, kind: 'folder', code: 'F-1', title: 'Folder', note: '' },
    });
    const { id } = await world.file('keeper', { place: folder });
    expect((await keeper.call(records.dossier, { params: { id } })).outcome).toBe('waiting');
    await keeper.call(plan.recordEvent, { params: { id: folder }, body: { type: 'lease ended', on: '2026-05-05', note: '' } });
    const dated = await keeper.call(records.dossier, { params: { id } });
    expect([dated.clockStart, dated.dueOn, dated.why.clock!.source]).toEqual(['2027-01-01', '2028-01-01', 'folder F-1']);
    await keeper.call(plan.closeFolder, { params: { id: folder }, body: { on: '2026-09-25' } });
    await expectAsync(world.file('keeper', { place: folder })).toBeRejectedWithError(/closed/);
  });

  chapter('keeps the counts of the rack equal to the records', async () => {
    expect(await rackDifferences(world.database)).toBe(0);
    await world.pool.query('select fold_rack(), fold_rule_use()');
    expect(await rackDifferences(world.database)).toBe(0);
    const { series } = await world.as('keeper').call(plan.rack);
    const { count } = await world.as('keeper').call(records.count);
    expect(series.flatMap((s) => s.kept).reduce((sum, n) => sum + n, 0)).toBe(count);
  });

  chapter('tells each person what needs them', async () => {
    const { lines } = await world.as('editor').call(reports.today);
    expect(lines.some((l) => l.act === 'File')).toBeTrue();
  });
});
