import { HttpEventType } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { droppedFiles } from './droppedFiles';
import { Uploads } from './uploads';

const file = (name: string, size = 10) => ({ file: new File([new Uint8Array(size)], name), path: name });

describe('uploads', () => {
  let stage: Stage<Uploads>;
  beforeEach(async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    stage = await Stage.show(Uploads, { placeId: null });
  });
  const pending = () => stage.http.match((r) => r.url.startsWith('/api/uploads'));

  it('go three at a time, show their progress, and say when all are through', async () => {
    let arrived = 0;
    let settled = 0;
    stage.fixture.componentInstance.arrived.subscribe(() => arrived++);
    stage.fixture.componentInstance.settled.subscribe(() => settled++);
    stage.fixture.componentInstance.add([1, 2, 3, 4, 5].map((n) => file(`f${n}.txt`)));
    await stage.settle();
    const first = pending();
    expect(first.length).toBe(3);
    expect(new Set(first.map((r) => r.request.headers.get('idempotency-key'))).size).toBe(3);
    first[0]!.event({ type: HttpEventType.UploadProgress, loaded: 5, total: 10 });
    await stage.settle();
    expect([...stage.host.querySelectorAll('progress')].map((p) => p.value)).toContain(5);
    for (const request of first) request.flush({ id: 'x' });
    await stage.settle();
    for (const request of pending()) request.flush({ id: 'y' });
    await stage.settle();
    expect(stage.text()).toContain('5 of 5 received');
    expect([arrived, settled]).toEqual([5, 1]);
  });

  it('that fail say why, leave the others alone, and are sent again with the same key', async () => {
    stage.fixture.componentInstance.add([file('good.txt'), file('bad.txt')]);
    await stage.settle();
    const [good, bad] = pending();
    const key = bad!.request.headers.get('idempotency-key');
    bad!.flush({ type: 't', title: 'T', status: 422, detail: 'This file is empty (0 bytes).' }, { status: 422, statusText: 'x' });
    good!.flush({ id: 'x' });
    await stage.settle();
    expect(stage.text()).toContain('1 of 2 received');
    expect(stage.text()).toContain('This file is empty (0 bytes).');
    await stage.press('Try again', stage.host);
    const [again] = pending();
    expect(again!.request.headers.get('idempotency-key')).toBe(key);
    again!.flush({ id: 'z' });
    await stage.settle();
    expect(stage.text()).toContain('2 of 2 received');
  });

  it('are cancelled one by one; the next takes the place', async () => {
    stage.fixture.componentInstance.add([1, 2, 3, 4].map((n) => file(`f${n}.txt`)));
    await stage.settle();
    const first = pending();
    await stage.press('Cancel', stage.host);
    expect(first.filter((r) => r.cancelled).length).toBe(1);
    expect(pending().length).toBe(1);
    expect(stage.text()).toContain('cancelled, nothing was kept');
  });

  it('take the path of a dropped folder along for showing', async () => {
    stage.fixture.componentInstance.add([{ file: new File(['x'], 'a.txt'), path: 'box 4/letters/a.txt' }]);
    await stage.settle();
    expect(pending()[0]!.request.url).toContain(encodeURIComponent('box 4/letters/a.txt').replaceAll('%20', '+'));
    expect(stage.text()).toContain('box 4/letters/a.txt');
  });
});

describe('what is dropped', () => {
  const leaf = (name: string) => ({ isFile: true, name, file: (done: (f: File) => void) => done(new File(['x'], name)) });
  /** A directory that gives its entries in portions, as browsers do. */
  const directory = (name: string, portions: unknown[][]) => ({
    isFile: false,
    name,
    createReader: () => {
      const left = [...portions, []];
      return { readEntries: (done: (e: unknown[]) => void) => done(left.shift()!) };
    },
  });
  it('is walked through to the last file, however deep and in however many portions', async () => {
    const tree = directory('box', [[leaf('a.txt'), leaf('b.txt')], [directory('inner', [[leaf('c.txt')]])]]);
    const data = { items: [tree, leaf('d.txt')].map((entry) => ({ webkitGetAsEntry: () => entry })), files: [] } as unknown as DataTransfer;
    expect((await droppedFiles(data)).map((f) => f.path)).toEqual(['box/a.txt', 'box/b.txt', 'box/inner/c.txt', 'd.txt']);
  });
  it('may also be plain files', async () => {
    const data = { items: [], files: [new File(['x'], 'plain.txt')] } as unknown as DataTransfer;
    expect((await droppedFiles(data)).map((f) => f.path)).toEqual(['plain.txt']);
  });
});
