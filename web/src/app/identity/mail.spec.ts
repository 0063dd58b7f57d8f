import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { MessagesPage } from './messagesPage';
import { SignIn } from './signIn';

describe('what comes by mail', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('is chosen kind by kind, from the messages, which say what became of theirs', async () => {
    const stage = await Stage.show(MessagesPage);
    const message = {
      id: 'x',
      kind: 'notice',
      subject: 'S',
      body: 'B',
      link: null,
      sentAt: '2026-09-14T08:00:00Z',
      readAt: null,
      ask: null,
    };
    await stage.answer('/api/messages', {
      messages: [{ ...message, mail: { address: 'ada@test.example', state: 'uncertain', at: null } }],
    });
    expect(stage.text()).toContain('by mail to ada@test.example: may have arrived');
    await stage.press('What comes by mail');
    await stage.answer('/api/me/mail', { on: true, address: 'ada@test.example', kinds: [{ kind: 'notice', how: 'now' }] });
    document.querySelector<HTMLElement>('#mail-notice')!.click();
    await stage.settle();
    [...document.querySelectorAll<HTMLElement>('[role=option]')].find((o) => o.textContent!.includes('once a day'))!.click();
    await stage.settle();
    const asked = await stage.answer('/api/me/mail', {});
    expect(asked.request.body).toEqual({ kind: 'notice', how: 'daily' });
  });

  it('brings another password to whoever forgot theirs, and tells nothing', async () => {
    const stage = await Stage.show(SignIn);
    await stage.answer('/api/entrance', { repository: 'M', needsFirstKeeper: false, demoAccounts: [], mail: true });
    await stage.press('Forgot your password?');
    expect(stage.text()).toContain('Type your login first.');
    await stage.type('#login', 'ada');
    await stage.press('Forgot your password?');
    const asked = await stage.answer('/api/forgot', {});
    expect(asked.request.body).toEqual({ login: 'ada' });
    expect(stage.text()).toContain('If there is such a person');
  });
});
