import type { Spoken } from '@key-cellar/words/spoken';
import { ChangeDetectionStrategy, Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { Gate, RecordLine } from '@key-cellar/contract';
import type { Explanation } from '@key-cellar/core/schedule';
import { Subject, throwError } from 'rxjs';
import { ApiProblem, toProblem } from './api';
import { Choice } from './choice';
import { Choices } from './choices';
import { Gates } from './gates';
import { Horizon } from './horizon';
import { isTyping, keyName, Keys } from './keys';
import { Lifeline, lifeInWords, placeLabels, type Life } from './lifeline';
import { loaded, type Loaded } from './loaded';
import { Mark, markKinds } from './mark';
import { marksOf } from './marksOf';
import { PeriodField } from './periodField';
import { ResultList } from './resultList';
import { RuleStrip } from './ruleStrip';
import { Sheet } from './sheet';
import { Unsaved } from './unsaved';
import { Why } from './why';

const life: Life = {
  created: '2019-05-08',
  filed: '2019-05-20',
  declared: '2019-11-22',
  clockStart: '2020-01-01',
  due: '2030-01-01',
  permanent: false,
  disposed: null,
  steps: [
    { kind: 'askOwner', on: '2027-01-01' },
    { kind: 'destroy', on: '2030-01-01' },
  ],
  holds: [{ name: 'Ottoline', from: '2024-03-12', until: null }],
};

async function show<T>(component: new (...args: never[]) => T, inputs: Record<string, unknown>): Promise<ComponentFixture<T>> {
  const fixture = TestBed.createComponent(component as never) as ComponentFixture<T>;
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  await fixture.whenStable();
  return fixture;
}
const textOf = (fixture: ComponentFixture<unknown>): string =>
  (fixture.nativeElement as HTMLElement).textContent!.replace(/\s+/g, ' ').trim();
const all = (fixture: ComponentFixture<unknown>, selector: string): HTMLElement[] => [
  ...(fixture.nativeElement as HTMLElement).querySelectorAll<HTMLElement>(selector),
];

describe('the kit', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection(), provideRouter([])] }));

  it('a sheet takes the keyboard to its first field, and gives it back', async () => {
    @Component({
      selector: 'kc-sheet-host',
      imports: [Sheet],
      template: `
        <button type="button" (click)="open.set(true)">Place a hold</button>
        <kc-sheet [(open)]="open" heading="Place a hold"
          ><p>Why?</p>
          <input id="why"
        /></kc-sheet>
      `,
      changeDetection: ChangeDetectionStrategy.OnPush,
    })
    class Host {
      readonly open = signal(false);
    }
    const fixture = await show(Host, {});
    document.body.append(fixture.nativeElement as HTMLElement);
    const button = all(fixture, 'button')[0]!;
    button.focus();
    button.click();
    await fixture.whenStable();
    expect(document.activeElement!.id).toBe('why');
    fixture.componentInstance.open.set(false);
    await fixture.whenStable();
    expect(document.activeElement).toBe(button);
  });

  it('a sheet that goes while it is still closing leaves nothing over the page', async () => {
    const masks = (): number => document.querySelectorAll('.p-drawer-mask').length;
    const fixture = await show(Sheet, { open: true, heading: 'Place a hold' });
    expect(masks()).toBe(1);
    fixture.componentRef.setInput('open', false);
    await fixture.whenStable();
    fixture.destroy();
    expect(masks()).toBe(0);
  });

  describe('a long list', () => {
    const options = ['Berth', 'Buoy', 'Chart', 'Crane', 'Dredge', 'Light', 'Log', 'Pilot', 'Tug'].map((name) => ({
      name,
      value: name.toLowerCase(),
    }));
    async function found(component: typeof Choice | typeof Choices, searched: string): Promise<unknown[]> {
      const fixture = await show(component as typeof Choice, { field: 'list', label: 'List', options });
      const out: unknown[] = [];
      fixture.componentInstance.valueChange.subscribe((v) => out.push(v));
      document.body.append(fixture.nativeElement as HTMLElement);
      all(fixture, '.p-select, .p-multiselect')[0]!.click();
      await fixture.whenStable();
      const search = document.querySelector<HTMLInputElement>('[role="searchbox"]')!;
      search.value = searched;
      search.dispatchEvent(new Event('input'));
      await fixture.whenStable();
      search.dispatchEvent(new KeyboardEvent('keydown', { code: 'Enter', key: 'Enter', bubbles: true }));
      await fixture.whenStable();
      return out;
    }
    it('is searched, and Enter takes the first that was found', async () => expect(await found(Choice, 'lo')).toEqual(['log']));
    it('of several the same', async () => expect(await found(Choices, 'lo')).toEqual([['log']]));
    it('in which nothing is found gives nothing', async () => expect(await found(Choice, 'zz')).toEqual([]));
  });

  describe('a field for a length of time', () => {
    async function field(
      value: string,
    ): Promise<{ input: HTMLInputElement; out: string[]; type(text: string): Promise<void>; give(value: string): Promise<void> }> {
      const fixture = await show(PeriodField, { field: 'how-long', label: 'How long', value });
      const out: string[] = [];
      fixture.componentInstance.valueChange.subscribe((v) => out.push(v));
      const input = all(fixture, 'input')[0] as HTMLInputElement;
      return {
        input,
        out,
        type: async (text) => {
          input.value = text;
          input.dispatchEvent(new Event('input'));
          await fixture.whenStable();
        },
        give: async (given) => {
          fixture.componentRef.setInput('value', given);
          await fixture.whenStable();
        },
      };
    }
    it('shows words, takes words, and gives what programs read', async () => {
      const { input, out, type, give } = await field('P1Y6M');
      expect(input.value).toBe('1 year and 6 months');
      await type('18m');
      expect(out).toEqual(['P18M']);
      await give('P18M');
      expect(input.value).withContext('not changed under the hands').toBe('18m');
      input.dispatchEvent(new Event('blur'));
      await give('P18M');
      expect(input.value).toBe('18 months');
      await give('P7Y');
      expect(input.value).withContext('another rule').toBe('7 years');
    });
    it('gives out what is none as it was typed, to be refused by the form', async () => {
      const { input, out, type, give } = await field('P7Y');
      await type('seven');
      await give('seven');
      expect(out).toEqual(['seven']);
      expect(input.value).toBe('seven');
    });
  });

  describe('what is not saved', () => {
    it('is asked about before it is left, and once let go not again', async () => {
      const unsaved = TestBed.inject(Unsaved);
      let changed = false;
      TestBed.runInInjectionContext(() => unsaved.watch(() => changed));
      expect(unsaved.mayLeave()).toBeTrue();
      changed = true;
      const stays = unsaved.mayLeave();
      expect(unsaved.asking()).not.toBeNull();
      unsaved.answer(false);
      expect(await stays).toBeFalse();
      const overtaken = unsaved.mayLeave();
      const leaves = unsaved.mayLeave();
      expect(await overtaken)
        .withContext('a second way out is the one that is asked about')
        .toBeFalse();
      unsaved.answer(true);
      expect(await leaves).toBeTrue();
      expect(unsaved.asking()).toBeNull();
      expect(unsaved.mayLeave()).toBeTrue();
    });
    it('keeps the window from being closed unasked', () => {
      // The window of the specs listens for its own closing: the event is given to this listener only.
      const listen = spyOn(window, 'addEventListener').and.callThrough();
      const unsaved = TestBed.inject(Unsaved);
      const listener = listen.calls.all().find(({ args }) => (args[0] as string) === 'beforeunload')!.args[1] as (event: Event) => void;
      let changed = true;
      TestBed.runInInjectionContext(() => unsaved.watch(() => changed));
      const closing = (): boolean => {
        const event = new Event('beforeunload', { cancelable: true });
        listener(event);
        return event.defaultPrevented;
      };
      expect(closing()).toBeTrue();
      changed = false;
      expect(closing()).toBeFalse();
    });
  });

  describe('marks', () => {
    for (const kind of markKinds) {
      it(`${kind}: a shape of its own and a word`, async () => {
        const fixture = await show(Mark, { kind });
        expect(all(fixture, 'svg > *').length).toBeGreaterThan(0);
        expect(textOf(fixture).length).toBeGreaterThan(2);
      });
    }
    it('of a record: disposed hides the rest, held comes first', () => {
      const record = { state: 'declared', held: 2, docket: 'due', outcome: 'dated', medium: 'physical', gaps: 1 } as RecordLine;
      expect(marksOf(record)).toEqual(['held', 'due', 'declared', 'physical', 'gap']);
      expect(marksOf({ ...record, state: 'disposed' })).toEqual(['disposed']);
    });
  });

  describe('the lifeline', () => {
    it('reads as a sentence', () => {
      expect(lifeInWords(life)).toBe(
        'Filed 20 May 2019, declared 22 Nov 2019, clock starts 1 Jan 2020, ask owner 1 Jan 2027, destroy 1 Jan 2030, held Ottoline since 12 Mar 2024.',
      );
    });
    it('draws band, steps, chain and now, in cell and in full', async () => {
      for (const size of ['cell', 'full']) {
        const fixture = await show(Lifeline, { life, today: '2026-09-14', size });
        expect(all(fixture, '.band').length).toBe(2);
        expect(all(fixture, '.step').length).toBe(2);
        expect(all(fixture, '.hold rect').length).toBeGreaterThan(0);
        const now = Number(all(fixture, '.now')[0]!.getAttribute('x1'));
        const end = Number(/translate\(([\d.]+)/.exec(all(fixture, '.step.destroy')[0]!.getAttribute('transform')!)![1]);
        expect(end).toBeGreaterThan(now);
        expect(all(fixture, '.label').length > 0).toBe(size === 'full');
      }
    });
    it('keeps the name of a hold inside of the strip, wherever it begins', async () => {
      const began = (name: string, from: string): Life => ({ ...life, due: null, steps: [], holds: [{ name, from, until: null }] });
      for (const [name, from, anchor] of [
        ['Early', '2019-06-01', 'start'],
        ['Review of the dredging contract', '2026-09-01', 'end'],
      ] as const) {
        const fixture = await show(Lifeline, { life: began(name, from), today: '2026-09-14', size: 'full' });
        expect(all(fixture, '.hold text')[0]!.getAttribute('text-anchor')).toBe(anchor);
      }
    });
    it('gives each of several holds a row of its own, and says how many it does not draw', async () => {
      const chained = (n: number): Life => ({
        ...life,
        holds: Array.from({ length: n }, (_, i) => ({ name: `Matter ${i + 1}`, from: '2024-03-12', until: null })),
      });
      const rowsOf = (fixture: Awaited<ReturnType<typeof show>>): number[] =>
        all(fixture, '.hold text').map((t) => Number(t.getAttribute('y')));
      const four = await show(Lifeline, { life: chained(4), today: '2026-09-14', size: 'full' });
      const rows = rowsOf(four);
      expect(rows.length).toBe(4);
      expect(Math.min(...rows)).toBeGreaterThan(24);
      expect(rows.slice(1).every((y, i) => rows[i]! - y >= 20)).toBe(true);
      const nine = await show(Lifeline, { life: chained(9), today: '2026-09-14', size: 'full' });
      expect(all(nine, '.hold text').at(-1)!.textContent).toBe('and 3 more holds');
    });
    it('puts labels that would meet into rows', () => {
      const labels = placeLabels(
        [
          { x: 100, words: 'a long label here', kind: 'a' },
          { x: 110, words: 'another label', kind: 'b' },
          { x: 500, words: 'far', kind: 'c' },
        ],
        600,
      );
      expect(labels.map((l) => l.row)).toEqual([0, 1, 0]);
      expect(placeLabels([{ x: 2, words: 'edge of it', kind: 'a' }], 600)[0]!.anchor).toBe('start');
      expect(placeLabels([{ x: 598, words: 'edge of it', kind: 'a' }], 600)[0]!.anchor).toBe('end');
    });
  });

  it('the horizon has a bar for each month, also for an empty one', async () => {
    const months = [
      { month: '2026-09', destroy: 10, transfer: 2, held: 3 },
      { month: '2026-10', destroy: 0, transfer: 0, held: 0 },
    ];
    const fixture = await show(Horizon, { months });
    const bars = all(fixture, 'a');
    expect(bars.length).toBe(2);
    expect(bars[0]!.getAttribute('aria-label')).toBe('September 2026: 10 to destroy, 2 to transfer, 3 held');
  });

  it('the rule strip says in words what it draws', async () => {
    const step = { kind: 'destroy' as const, after: 'P10Y', from: 'clockStart' as const, approvals: 1, noticeDays: 14 };
    const fixture = await show(RuleStrip, {
      rule: { trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' }, cutoff: { kind: 'calendarYear' }, steps: [step] },
    });
    expect(all(fixture, 'svg')[0]!.getAttribute('aria-label')).toBe(
      'event “lease ended”, rolled to end of year, destroyed 10 years after the clock starts',
    );
    expect(all(fixture, '.waits').length).toBe(1);
    const forever = await show(RuleStrip, { rule: { trigger: { kind: 'never' }, cutoff: { kind: 'none' }, steps: [] } });
    expect(all(forever, '.forever').length).toBe(1);
  });

  it('gates name their state for those who do not see them', async () => {
    const gates: Gate[] = [
      { name: 'proposed', state: 'passed', words: '2026-07-01' },
      { name: 'notice', state: 'current', words: 'until 22 Jul 2026' },
      { name: 'approved', state: 'ahead', words: '–' },
      { name: 'done', state: 'ahead', words: '–' },
    ];
    const fixture = await show(Gates, { gates });
    expect(all(fixture, 'li').map((li) => li.className)).toEqual(['passed', 'current', 'ahead', 'ahead']);
    expect(textOf(fixture)).toContain('notice, here now: until 22 Jul 2026');
  });

  it('a result list puts what was refused first, with its reason', async () => {
    const fixture = await show(ResultList, {
      lines: [
        { name: 'A', outcome: 'done', why: 'Declared.' },
        { name: 'B', outcome: 'refused', why: 'A hold covers it.' },
      ],
    });
    expect(all(fixture, 'h3').map((h) => h.textContent)).toEqual(['Refused', 'Done']);
    expect(textOf(fixture)).toContain('A hold covers it.');
  });

  it('“why” shows every part of the explanation', async () => {
    const rule = {
      code: 'R-1',
      version: 3,
      title: 'T',
      authority: 'art. 22',
      setOn: 'series PIL-03',
      inForceFrom: '2021-02-01',
      takesOver: 'all' as const,
      basis: 'required' as const,
    };
    const why: Spoken<Explanation> = {
      outcome: 'dated',
      summary: 'Kept until 31 Dec 2029, then destroyed.',
      dueOn: '2030-01-01',
      action: 'destroy',
      governing: rule,
      clock: { trigger: 'event “inquiry closed”', date: '2019-12-02', source: 'folder 2019', parts: [] },
      cutoff: { words: 'rolled to end of year', clockStart: '2020-01-01' },
      restartedOn: null,
      stops: [],
      cap: null,
      vintage: 2019,
      waitingSince: null,
      steps: [
        {
          kind: 'destroy',
          dueOn: '2030-01-01',
          doneOn: null,
          words: 'destroyed 10 years after the clock starts',
          repeat: null,
          approvals: 2,
          noticeDays: 14,
        },
      ],
      override: null,
      yielded: [
        {
          rule: { ...rule, code: 'R-2' },
          reason: 'keeps shorter',
          words: '1 Jan 2026 is earlier; the longest period counts',
          dueOn: '2026-01-01',
        },
      ],
      holds: [{ since: '2024-03-12', hold: { id: 'h', name: 'H', matter: 'Ottoline', because: 'listed' } }],
      missing: ['Vessel'],
    };
    const text = textOf(await show(Why, { why }));
    for (const part of [
      'Kept until 31 Dec 2029',
      'R-1 version 3, set on series PIL-03',
      'on 2 Dec 2019',
      '1 Jan 2020',
      '1 Jan 2030',
      '2 people must agree',
      'Ottoline since 12 Mar 2024',
      'Missing: Vessel',
      'R-2',
      '1 Jan 2026 is earlier',
    ]) {
      expect(text).toContain(part);
    }
  });

  describe('keys', () => {
    it('are those of the newest page, and none fires while somebody types', () => {
      const keys = TestBed.inject(Keys);
      const fired: string[] = [];
      const press = (key: string, target: EventTarget = document.body, more: KeyboardEventInit = {}): void => {
        target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }));
      };
      const removeBelow = keys.add({ j: ['below', () => fired.push('below')], k: ['k', () => fired.push('k')] });
      const removeAbove = keys.add({ j: ['above', () => fired.push('above')], 'Shift+D': ['declare', () => fired.push('declare')] });
      press('j');
      press('k');
      press('D', document.body, { shiftKey: true });
      press('j', document.body, { ctrlKey: true });
      const field = document.body.appendChild(document.createElement('input'));
      press('j', field);
      field.remove();
      removeAbove();
      press('j');
      removeBelow();
      press('j');
      expect(fired).toEqual(['above', 'k', 'declare', 'below']);
      expect(keys.hints()).toEqual({ everywhere: [], here: [] });
    });
    it('are listed as a keyboard names them: of the page first, one line an act', () => {
      const keys = TestBed.inject(Keys);
      const nothing = (): void => undefined;
      const removeShell = keys.add({
        '/': ['ask bar', nothing],
        Escape: ['back', nothing],
        0: ['setup', nothing],
        1: ['today', nothing],
        9: ['proof', nothing],
      });
      const removePage = keys.add({
        ArrowDown: ['row below', nothing],
        ' ': ['mark', nothing],
        x: ['mark', nothing],
        Escape: ['let go', nothing],
      });
      expect(keys.hints()).toEqual({
        here: [
          { keys: ['↓'], words: 'row below' },
          { keys: ['Space', 'x'], words: 'mark' },
          { keys: ['Esc'], words: 'let go' },
        ],
        everywhere: [
          { keys: ['1'], words: 'today' },
          { keys: ['9'], words: 'proof' },
          { keys: ['0'], words: 'setup' },
          { keys: ['/'], words: 'ask bar' },
        ],
      });
      removePage();
      removeShell();
    });
    it('know typing from not typing', () => {
      const make = (html: string): HTMLElement => {
        const host = document.createElement('div');
        host.innerHTML = html;
        return host.firstElementChild as HTMLElement;
      };
      expect(isTyping(make('<textarea></textarea>'))).toBeTrue();
      expect(isTyping(make('<input type="checkbox">'))).toBeFalse();
      expect(isTyping(make('<span role="combobox"></span>'))).toBeTrue();
      expect(keyName(new KeyboardEvent('keydown', { key: 'D', shiftKey: true }))).toBe('Shift+D');
      expect(keyName(new KeyboardEvent('keydown', { key: '?', shiftKey: true }))).toBe('?');
    });
  });

  describe('loaded', () => {
    it('lets only the newest fetch count, keeps the old value while fetching, and tells a problem', async () => {
      const answers: Subject<string>[] = [];
      const id = signal('a');
      @Component({ selector: 'kc-host', template: '{{ page.value() }}', changeDetection: ChangeDetectionStrategy.OnPush })
      class Host {
        readonly page: Loaded<string> = loaded(() => {
          id();
          const answer = new Subject<string>();
          answers.push(answer);
          return answer;
        });
      }
      const fixture = TestBed.createComponent(Host);
      await fixture.whenStable();
      answers[0]!.next('first');
      id.set('b');
      await fixture.whenStable();
      expect(fixture.componentInstance.page.value()).toBe('first');
      answers[0]!.next('too late');
      answers[1]!.next('second');
      expect(fixture.componentInstance.page.value()).toBe('second');
      fixture.componentInstance.page.reload();
      answers[2]!.error(new ApiProblem({ type: 't', title: 'T', status: 409, detail: 'No.' }));
      expect(fixture.componentInstance.page.problem()!.detail).toBe('No.');
      expect(fixture.componentInstance.page.value()).toBe('second');
    });
    it('turns anything into a sentence', () => {
      expect(toProblem(new Error('x')).detail).toContain('Something went wrong');
      throwError(() => new Error('y')).subscribe({ error: (e: unknown) => expect(toProblem(e).title.length).toBeGreaterThan(3) });
    });
  });
});
