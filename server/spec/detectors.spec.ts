import { said } from '@key-cellar/words/testing';
import { PDFDocument, StandardFonts } from '@cantoo/pdf-lib';
import {
  criteriaEndpoints,
  holds,
  ledger,
  plan,
  receiving,
  records,
  reports,
  schedule,
  setup,
  type DetectorLine,
} from '@key-cellar/contract';
import { createHash } from 'node:crypto';
import { ZipFile } from 'yazl';
import { programActor } from '../src/index.js';
import { takeOff } from '../src/records/detectorStore.js';
import { wordsIn } from '../src/records/texts.js';
import { lookForSigns, runNotes } from '../src/records/index.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { type Login, makeWorld, problemOf, ruleDefinition, statusOf, today, type World } from './support/world.js';

type Sign = DetectorLine['signs'][number];

/** Numbers made for testing: their check digits are right, nobody has them. */
const card = '4111 1111 1111 1111';
const account = 'DE89 3704 0044 0532 0130 00';
const cards: Sign = { kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 };

describe('detectors', () => {
  const chapter = chapters();
  let world: World;
  const ids: Record<string, string> = {};
  beforeAll(async () => {
    world = await makeWorld();
    ids['cards'] = await make('Payment cards', [cards]);
    ids['accounts'] = await make('Accounts', [{ kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 }]);
    ids['health'] = await make('Health', [{ kind: 'words', words: ['diagnosis', 'sick leave'], atLeast: 2 }]);
  });
  afterAll(() => world.stop());

  const keeper = () => world.as('keeper');
  async function make(title: string, signs: Sign[]): Promise<string> {
    return (await keeper().call(setup.makeDetector, { body: { title, note: '', signs } })).id;
  }
  /** Until the thread of jobs has looked at all that was written. */
  async function looked(): Promise<void> {
    for (let tries = 0; tries < 1500; tries++) {
      const { rows } = await world.pool.query<{ n: number }>('select count(*)::int as n from detection_due');
      if (rows[0]!.n === 0) return;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error('The notes are not worked off.');
  }
  const found = async (id: string, login: Login = 'keeper'): Promise<string[]> => {
    await looked();
    return (await world.as(login).call(records.dossier, { params: { id } })).detected.map((d) => d.title);
  };
  const matching = async (detector: string, login: Login = 'keeper'): Promise<string[]> => {
    await looked();
    const criteria = JSON.stringify({ op: 'detected', detectorId: ids[detector], name: detector });
    return (await world.as(login).call(records.list, { query: { criteria } })).records.map((r) => r.id);
  };
  async function pdf(text: string): Promise<Buffer> {
    const document = await PDFDocument.create();
    const font = await document.embedFont(StandardFonts.Helvetica);
    document.addPage([400, 300]).drawText('First page', { x: 20, y: 200, size: 12, font });
    document.addPage([400, 300]).drawText(text, { x: 20, y: 200, size: 12, font });
    return Buffer.from(await document.save());
  }
  async function wordDocument(text: string): Promise<Buffer> {
    const file = new ZipFile();
    const main = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml';
    file.addBuffer(Buffer.from(`<Types><Override PartName="/word/document.xml" ContentType="${main}"/></Types>`), '[Content_Types].xml');
    file.addBuffer(Buffer.from(`<w:document><w:p><w:r><w:t>${text}</w:t></w:r></w:p></w:document>`), 'word/document.xml');
    file.end();
    const chunks: Buffer[] = [];
    for await (const chunk of file.outputStream) chunks.push(chunk as Buffer);
    return Buffer.concat(chunks);
  }
  async function fileBytes(name: string, bytes: Buffer | string): Promise<string> {
    const editor = world.as('editor');
    const arrivalId = await editor.upload(name, bytes);
    const { results } = await editor.call(receiving.file, {
      body: {
        filings: [{ arrivalId, title: name, recordType: 'note', placeId: world.ids.A01, createdOn: '2025-01-10', facts: { topic: 'x' } }],
      },
    });
    return results[0]!.recordId!;
  }

  chapter('find what is in titles, facts, texts, pages, PDF and office documents', async () => {
    const plain = await world.file('editor', { title: 'Plain', text: 'nothing of that kind' });
    const inText = await world.file('editor', { title: 'Letter', text: `Charged to ${card}.` });
    const inTitle = await world.file('editor', { title: `Refund to ${account}`, text: 'see title' });
    const inFacts = await world.file('editor', { title: 'Facts', facts: { topic: `account ${account}` } });
    const page = await fileBytes(
      'page.html',
      `<!doctype html><html><body><p>Card <b>4111</b> 1111 1111 1111</p><i title="${account}"></i></body></html>`,
    );
    const document = await fileBytes('scan.pdf', await pdf(`Diagnosis: none. Sick leave until May. Card ${card}`));
    const letter = await fileBytes('letter.docx', await wordDocument(`Card 41</w:t></w:r><w:r><w:t>11 1111 1111 1111`));
    expect(await found(plain.id)).toEqual([]);
    expect(await found(letter)).toEqual(['Payment cards']);
    expect(await found(inText.id)).toEqual(['Payment cards']);
    expect(await found(inTitle.id)).toEqual(['Accounts']);
    expect(await found(inFacts.id)).toEqual(['Accounts']);
    // What stands in tags is no text of the page.
    expect(await found(page)).toEqual(['Payment cards']);
    expect(await found(document)).toEqual(['Health', 'Payment cards']);
    expect((await matching('cards')).sort()).toEqual([inText.id, page, document, letter].sort());
    const { detectors, waiting } = await keeper().call(setup.detectors);
    expect(waiting).toBe(0);
    expect(detectors.map((d) => [d.title, d.records])).toEqual([
      ['Accounts', 2],
      ['Health', 1],
      ['Payment cards', 4],
    ]);
    const entries = await world.as('auditor').call(ledger.entries, { query: { act: 'found signs', limit: 50 } });
    expect(JSON.stringify(entries)).toContain(document);
  });

  chapter('say of which records they could not read all, and why, to those who may know of detectors', async () => {
    const picture = await fileBytes('photo.png', Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex'));
    const scan = await PDFDocument.create();
    scan.addPage([100, 100]);
    const scanned = await fileBytes('scanned.pdf', Buffer.from(await scan.save()));
    const mail = await fileBytes(
      'letter.eml',
      `From: a@example.org\r\nSubject: Card\r\nContent-Type: text/plain\r\nContent-Transfer-Encoding: base64\r\n\r\n${Buffer.from(`No. ${card}`).toString('base64')}\r\n`,
    );
    expect(await found(mail)).toEqual(['Payment cards']);
    await looked();
    const told = await keeper().call(setup.unread);
    expect(told.total).toBe(told.records.length);
    expect((await keeper().call(setup.detectors)).unread).toBe(told.total);
    const of = (id: string) => told.records.find((r) => r.id === id)?.unread;
    expect([of(picture), of(scanned), of(mail)]).toEqual([
      ['A picture: no words were recognized in it.'],
      ['A scan: no words were recognized in it.'],
      undefined,
    ]);
    expect(await statusOf(world.as('reader').call(setup.unread))).toBe(403);
    // What one may not discover is neither listed nor counted.
    const { rows } = await world.pool.query<{ access_set_id: number }>('select access_set_id from record where id = $1', [picture]);
    const { rows: above } = await world.pool.query<{ id: number }>(
      'insert into access_set (anchor_place, marking_level, marking_caveats) values ($1, 9, $2) returning id',
      [world.ids.A01, []],
    );
    await world.pool.query('update record set access_set_id = $2 where id = $1', [picture, above[0]!.id]);
    const less = await keeper().call(setup.unread);
    expect([less.total, less.records.some((r) => r.id === picture)]).toEqual([told.total - 1, false]);
    await world.pool.query('update record set access_set_id = $2 where id = $1', [picture, rows[0]!.access_set_id]);
  });

  chapter('find what stands in scans, which are recognised once, and sealed under the key of the content', async () => {
    const page = await pdf(`Charged to ${card}, as agreed.`);
    const named = { sha256: createHash('sha256').update(page).digest(), mediaType: 'application/pdf', load: () => Promise.resolve(page) };
    const paper = await PDFDocument.create();
    const picture = await paper.embedPng(await world.services.pages.scan(named, 2));
    paper.addPage([595, 842]).drawImage(picture, { x: 0, y: 0, width: 595, height: 842 });
    const scanned = await fileBytes('paper.pdf', Buffer.from(await paper.save()));
    expect(await found(scanned)).toEqual(['Payment cards']);
    expect((await keeper().call(setup.unread)).records.some((r) => r.id === scanned)).toBeFalse();
    const kept = () =>
      world.pool.query<{ words: Buffer }>(
        'select w.words from recognised w join version v on v.content_id = w.content_id where v.record_id = $1',
        [scanned],
      );
    const { rows } = await kept();
    expect(rows.length).toBe(1);
    expect(rows[0]!.words.toString('latin1')).not.toMatch(/Charged|4111/);
    // Whoever reads it again takes the words that were kept.
    const { rows: contents } = await world.pool.query<{ content_id: string; sha256: Buffer; size: number; media_type: string }>(
      'select v.content_id, c.sha256, c.size, v.media_type from version v join content c on c.id = v.content_id where v.record_id = $1',
      [scanned],
    );
    const asked = spyOn(world.services.recogniser, 'words').and.callThrough();
    const read = (until?: number) => wordsIn(world.services, contents[0]!, until);
    expect((await read()).text).toContain('Charged to');
    expect(asked).not.toHaveBeenCalled();
    // Under another key they are not what was kept, and are recognised again.
    await world.pool.query('update recognised set words = $1', [Buffer.alloc(rows[0]!.words.length, 1)]);
    expect((await read()).text).toContain('Charged to');
    expect(asked).toHaveBeenCalledTimes(1);
    expect((await read()).text).toContain('Charged to');
    expect(asked).toHaveBeenCalledTimes(1);
    // Without the program, or for whoever cannot wait, it is told as what it is, and is for another time.
    const unread = [{ part: null, why: 'scan' as const }];
    await asOwner(world.database, (client) => client.query('delete from recognised'));
    asked.and.rejectWith(new Error('it broke down'));
    expect((await read()).unread).toEqual(unread);
    expect((await kept()).rows.length)
      .withContext('what failed is for another time')
      .toBe(0);
    asked.and.resolveTo(null);
    expect((await read()).unread).toEqual(unread);
    asked.and.callThrough();
    expect((await read(Date.now() - 1)).unread).toEqual(unread);
    expect((await kept()).rows.length).toBe(0);
    expect((await read()).unread).toEqual([]);
    expect((await kept()).rows.length).toBe(1);
  });

  chapter('what they could not read is a line on Today, and a finding where rules ask for what they find', async () => {
    const { total } = await keeper().call(setup.unread);
    const line = (await keeper().call(reports.today)).lines.find((l) => l.key === 'unread')!;
    expect([line.sentence, line.link]).toEqual([`Detectors could not read the content of ${total} records`, '/setup/detectors']);
    expect((await world.as('reader').call(reports.today)).lines.some((l) => l.key === 'unread')).toBeFalse();
    const finding = async () => (await keeper().call(schedule.check)).findings.filter((f) => f.kind === 'contentUnread');
    expect(await finding()).toEqual([]);
    const rule = await world.rule('R-CARDS', world.ids.B01);
    const { id } = await keeper().call(schedule.addCriteriaRule, {
      body: { ruleId: rule, note: '', criteria: { op: 'detected', detectorId: ids['cards']!, name: 'Payment cards' } },
    });
    expect((await finding()).map((f) => [f.link, f.records, f.sentence])).toEqual([
      [
        '/setup/detectors',
        total,
        `Detectors could not read the content of ${total} records, and R-CARDS uses what they find: matches may be missing.`,
      ],
    ]);
    await keeper().call(schedule.dropCriteriaRule, { params: { id } });
  });

  chapter('are tried on records before all are looked at, and only on what one may read', async () => {
    const first = await world.file('editor', { title: 'Tried one', text: `Charged to ${card}.` });
    const second = await world.file('editor', { title: 'Tried two', text: 'nothing' });
    await looked();
    const before = (await world.pool.query('select count(*)::int as n from detection_due')).rows;
    const body = { signs: [cards], numbers: [first.number, second.number, 'NO-SUCH'], some: 100 };
    const tried = await keeper().call(setup.tryDetector, { body });
    expect(tried.chosen.map((r) => [r.title, r.met, r.found])).toEqual([
      ['Tried one', true, [1]],
      ['Tried two', false, [0]],
    ]);
    expect(tried.looked).toBeGreaterThan(3);
    expect(tried.of).toBeGreaterThanOrEqual(tried.looked);
    expect(tried.some.every((r) => r.met)).toBeTrue();
    expect(tried.some.map((r) => r.id)).toContain(first.id);
    expect((await world.pool.query('select count(*)::int as n from detection_due')).rows).toEqual(before);
    expect(await statusOf(world.as('reader').call(setup.tryDetector, { body }))).toBe(403);
    const wrong = { ...body, signs: [{ ...cards, pattern: '@@@@' } as Sign] };
    expect(await problemOf(keeper().call(setup.tryDetector, { body: wrong }))).toContain('never passes the check');
  });

  chapter('look again when a record changes', async () => {
    const { id } = await world.file('editor', { title: 'Changing', text: 'nothing' });
    expect(await found(id)).toEqual([]);
    const facts = async (topic: string) => {
      const { revision, createdOn } = await keeper().call(records.dossier, { params: { id } });
      await world
        .as('editor')
        .call(records.editFacts, { params: { id }, body: { revision, title: 'Changing', createdOn, facts: { topic } } });
    };
    await facts(`paid from ${account}`);
    expect(await found(id)).toEqual(['Accounts']);
    await facts('paid in cash');
    expect(await found(id)).toEqual([]);
  });

  chapter('are for those who keep, hold or audit; others neither see nor ask', async () => {
    const { id } = await world.file('editor', { title: 'Private', text: `card ${card}` });
    expect(await found(id, 'editor')).toEqual([]);
    const vocabulary = (login: Login) => world.as(login).call(criteriaEndpoints.vocabulary);
    expect((await vocabulary('counsel')).detectors.map((d) => d.name)).toEqual(['Accounts', 'Health', 'Payment cards']);
    expect((await vocabulary('editor')).detectors).toEqual([]);
    for (const login of ['editor', 'reader', 'steward', 'depositor', 'outsider'] as const) {
      expect(await statusOf(matching('cards', login)))
        .withContext(login)
        .toBe(403);
      expect(await statusOf(world.as(login).call(setup.detectors)))
        .withContext(login)
        .toBe(403);
    }
    const hidden = {
      op: 'not' as const,
      of: { op: 'or' as const, of: [{ op: 'detected' as const, detectorId: ids['cards']!, name: 'x' }] },
    };
    for (const endpoint of [records.count, records.ids]) {
      expect(await statusOf(world.as('editor').call(endpoint, { query: { criteria: JSON.stringify(hidden) } }))).toBe(403);
    }
    expect(await statusOf(world.as('editor').call(schedule.countCriteria, { body: { criteria: hidden } }))).toBe(403);
    expect(await matching('cards', 'auditor')).toContain(id);
  });

  chapter('set rules and holds by what they find, in the transaction that finds it', async () => {
    const criteria = { op: 'detected' as const, detectorId: ids['health']!, name: 'Health' };
    const { id: ruleId } = await keeper().call(schedule.makeRule, { body: { code: 'R-HEALTH', definition: ruleDefinition() } });
    await keeper().call(schedule.publish, { params: { id: ruleId }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
    await keeper().call(schedule.addCriteriaRule, { body: { ruleId, criteria, note: '' } });
    const { id: matterId } = await world
      .as('counsel')
      .call(holds.makeMatter, { body: { code: 'M-1', title: 'Case', kind: 'case', note: '' } });
    await world
      .as('counsel')
      .call(holds.placeHold, { body: { matterId, name: 'Health', reason: 'case', freeze: true, criteria, custodianIds: [] } });
    const { id } = await world.file('editor', { title: 'Sick note', text: 'The diagnosis led to a sick leave of two weeks.' });
    await looked();
    const dossier = await keeper().call(records.dossier, { params: { id } });
    expect([dossier.why.governing?.code, dossier.held, dossier.why.holds[0]?.hold?.because]).toEqual([
      'R-HEALTH',
      1,
      'came to match its criteria',
    ]);
    // A freeze keeps everybody from changing it, and detectors from nothing.
    const another = await make('Weeks', [{ kind: 'words', words: ['two weeks'], atLeast: 1 }]);
    expect(await found(id)).toEqual(['Health', 'Weeks']);
    const line = (await keeper().call(setup.detectors)).detectors.find((d) => d.id === another)!;
    await keeper().call(setup.changeDetector, {
      params: { id: another },
      body: { title: 'Weeks', note: '', signs: line.signs, revision: 1, retired: true },
    });
    expect(await found(id)).toEqual(['Health']);
    expect((await world.as('counsel').call(criteriaEndpoints.vocabulary)).detectors.map((d) => d.name)).not.toContain('Weeks');
  });

  chapter('say what they could not look into, and go on', async () => {
    const broken = await fileBytes('broken.pdf', Buffer.from('%PDF-1.7\nthis is no document'));
    const whole = await wordDocument('x'.repeat(500));
    const bent = await fileBytes(
      'bent.docx',
      whole.fill(0xff, whole.indexOf('word/document.xml') + 17, whole.indexOf('word/document.xml') + 22),
    );
    const { id } = await world.file('editor', { title: 'Damaged', text: `card ${card} to be damaged` });
    await looked();
    await asOwner(world.database, async (client) => {
      await client.query('alter table content_chunk disable trigger user');
      await client.query(
        `update content_chunk set bytes = convert_to('bad', 'UTF8') where content_id = (select content_id from version where record_id = $1)`,
        [id],
      );
      await client.query('insert into detection_due values ($1)', [id]);
    });
    const after = await world.file('editor', { title: 'After', text: `card ${card} again` });
    expect(await found(after.id)).toEqual(['Payment cards']);
    const entries = JSON.stringify(await world.as('auditor').call(ledger.entries, { query: { act: 'could not look into', limit: 50 } }));
    expect(entries).toContain(broken);
    expect(entries).toContain(bent);
    expect(entries).toContain(id);
  });

  chapter('look once more at what was written while they looked, and at what a server that died had claimed', async () => {
    const { id } = await world.file('editor', { title: 'Overtaken', text: 'nothing' });
    await looked();
    const state = () =>
      world.pool.query<{ stamp: number; claimed: boolean }>(
        'select stamp, claimed_until is not null as claimed from detection_due where record_id = $1',
        [id],
      );
    // A claim by somebody who is still there: nobody else looks.
    await world.pool.query(`insert into detection_due (record_id, claimed_until) values ($1, now() + interval '1 hour')`, [id]);
    const [claimed] = (await state()).rows;
    const { revision, createdOn } = await keeper().call(records.dossier, { params: { id } });
    const editing = world
      .as('editor')
      .call(records.editFacts, { params: { id }, body: { revision, title: 'Overtaken', createdOn, facts: { topic: `from ${account}` } } });
    await editing;
    // The one who claimed it comes back with the stamp it had then: nothing is taken off for them.
    expect((await takeOff(world.pool, [{ id, stamp: claimed!.stamp }])).size).toBe(0);
    expect(await found(id)).toEqual(['Accounts']);
    await world.pool.query(`insert into detection_due (record_id, claimed_until) values ($1, now() - interval '1 second')`, [id]);
    await looked();
    expect((await state()).rows).toEqual([]);
  });

  chapter('and those who write never wait for each other in a circle', async () => {
    const ids = (await Promise.all(Array.from({ length: 6 }, (_, i) => world.file('editor', { title: `Busy ${i}` })))).map((f) => f.id);
    const edit = async (id: string, n: number): Promise<void> => {
      const { revision, createdOn } = await keeper().call(records.dossier, { params: { id } });
      await world.as('editor').call(records.editFacts, {
        params: { id },
        body: { revision, title: 'Busy', createdOn, facts: { topic: n % 2 ? `to ${account}` : 'x' } },
      });
    };
    for (let round = 0; round < 4; round++) {
      const acts = [...ids.map((id) => edit(id, round)), ...[1, 2].map(() => lookForSigns(world.services, programActor('job', today)))];
      await Promise.all(acts);
    }
    await looked();
    for (const id of ids) expect(await found(id)).toEqual(['Accounts']);
  });

  chapter('are noted step by step where there are very many', async () => {
    await looked();
    const steps: number[] = [];
    const job = {
      id: 'j',
      subject: 'x',
      data: {},
      cursor: null,
      advance: (_: unknown, by: number) => Promise.resolve(void steps.push(by)),
    };
    const sentence = await runNotes(world.services, job, programActor('job', today));
    const { rows } = await world.pool.query<{ n: number }>(`select count(*)::int as n from record where state <> 'disposed'`);
    expect(said(sentence)).toBe(`${rows[0]!.n} records are looked at anew.`);
    expect(steps).toEqual([rows[0]!.n]);
    await looked();
  });

  chapter('refuse what is not sound, by sign, and what somebody else changed meanwhile', async () => {
    const bad: Sign[] = [cards, { kind: 'words', words: ['--'], atLeast: 1 }];
    expect(await problemOf(make('Bad', bad))).toBe('No words are given.');
    expect(await problemOf(make('payment CARDS', [cards]))).toContain('already');
    expect(await statusOf(make('None', []))).toBe(422);
    expect(await statusOf(world.as('steward').call(setup.makeDetector, { body: { title: 'Mine', note: '', signs: [cards] } }))).toBe(403);
    const change = (revision: number) =>
      keeper().call(setup.changeDetector, {
        params: { id: ids['cards']! },
        body: { title: 'Payment cards', note: 'n', signs: [cards], revision, retired: false },
      });
    expect(await statusOf(change(9))).toBe(412);
    // Only a note: nobody has to be looked at anew.
    expect((await change(1)).waiting).toBe(0);
  });

  chapter('leave nothing on the stub of what was disposed of', async () => {
    const { id } = await world.file('editor', { title: 'Gone', text: `card ${card} gone`, place: world.ids.A02 });
    expect(await found(id)).toEqual(['Payment cards']);
    await asOwner(world.database, (client) =>
      client.query(`update record set state = 'disposed', disposed_on = '2026-09-14' where id = $1`, [id]),
    );
    const { rows } = await world.pool.query<{ detected: string[] }>('select detected from record where id = $1', [id]);
    expect(rows[0]!.detected).toEqual([]);
    expect((await keeper().call(plan.outline)).places.length).toBeGreaterThan(0);
  });
});
