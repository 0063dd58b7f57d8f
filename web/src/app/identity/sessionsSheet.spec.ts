import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { deviceOf } from './device';
import { SessionsSheet } from './sessionsSheet';

const session = (id: string, agent: string, here = false) => ({
  id,
  agent,
  here,
  from: '10.0.0.7',
  since: '2026-09-14T08:00:00Z',
  lastSeen: '2026-09-14T09:30:00Z',
});

describe('the sheet of sessions', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('lists where somebody is signed in, and ends one or all others', async () => {
    const stage = await Stage.show(SessionsSheet, { open: true });
    const sessions = [
      session('1', 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0', true),
      session('2', ''),
      session('3', ''),
    ];
    await stage.answer('/api/sessions', { sessions, idleMinutes: 60 });
    expect(document.body.textContent).toContain('Firefox on Linux');
    expect(document.body.textContent).toContain('60 minutes after its last use');
    // This one is ended by signing out.
    expect(document.querySelectorAll('kc-sheet li p-button').length).toBe(2);
    document.querySelector<HTMLButtonElement>('kc-sheet li p-button button')!.click();
    await stage.answer('/api/sessions/2/end', {});
    await stage.answer('/api/sessions', { sessions: sessions.slice(0, 1).concat(sessions[2]!), idleMinutes: 60 });
    await stage.press('End the other session');
    await stage.answer('/api/sessions/end-others', { ended: 1 });
    await stage.answer('/api/sessions', { sessions: sessions.slice(0, 1), idleMinutes: 60 });
    expect(document.body.textContent).toContain('You are signed in nowhere else.');
  });

  it('says what went wrong and leaves the list', async () => {
    const stage = await Stage.show(SessionsSheet, { open: true });
    await stage.answer('/api/sessions', { sessions: [session('1', 'x', true), session('2', 'x')], idleMinutes: 60 });
    await stage.press('End the other session');
    await stage.refuse('/api/sessions/end-others', 'It did not work.');
    expect(document.body.textContent).toContain('It did not work.');
    expect(stage.button('End the other session').disabled).toBeFalse();
  });
});

describe('a device', () => {
  const rows: [string, string][] = [
    [
      'Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36 Edg/126.0',
      'Edge on Windows',
    ],
    [
      'Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17 Safari/605.1.15',
      'Safari on macOS',
    ],
    ['Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Mobile Safari/537.36', 'Chrome on Android'],
    ['Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) AppleWebKit/605.1.15 Version/17 Mobile Safari/604.1', 'Safari on iOS'],
    ['curl/8.5.0', 'curl'],
    ['', 'A program'],
  ];
  for (const [agent, name] of rows) it(`is ${name}`, () => expect(deviceOf(agent)).toBe(name));
});
