import { TestBed } from '@angular/core/testing';
import type { MailLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { MailPage } from './mailPage';
import { SessionLimitsSheet } from './sessionLimitsSheet';

const mail = (id: string, more: Partial<MailLine> = {}): MailLine => ({
  ...{ id, to: { id: 'p', name: 'Ada' }, address: 'ada@test.example', kind: 'notice', subject: `About ${id}`, state: 'sent', tries: 1 },
  ...{ at: '2026-09-14T08:00:00Z', problem: null, again: false },
  ...more,
});

describe('mail', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('that did not arrive is told with what the other side said, and sent again', async () => {
    const stage = await Stage.show(MailPage);
    const refused = mail('m1', { state: 'refused', problem: '550 No such mailbox', again: true });
    await stage.answer('/api/setup/mail', { on: true, from: 'Key Cellar', server: 'mail.test', mails: [refused, mail('m2')] });
    expect(stage.text()).toContain('One did not arrive, or may not have.');
    expect(stage.text()).toContain('550 No such mailbox');
    await stage.press('send again');
    await stage.answer('/api/setup/mail/m1/again', {});
    await stage.answer('/api/setup/mail', { on: true, from: 'Key Cellar', server: 'mail.test', mails: [] });
    expect(stage.text()).toContain('It is on its way again.');
    expect(stage.text()).toContain('No mail yet');
    await stage.press('Send yourself a mail');
    await stage.refuse('/api/setup/mail/test', 'No mail leaves here, or there is no address to send it to.', undefined, 409);
    expect(stage.text()).toContain('there is no address');
  });
});

describe('when sessions end', () => {
  it('is said for all of them', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(SessionLimitsSheet, { open: true });
    await stage.answer('/api/setup/session-limits', { idleMinutes: 60, hours: 12 });
    await stage.type('#idle-minutes', '20');
    await stage.press('Save');
    const asked = await stage.answer('/api/setup/session-limits', {});
    expect(asked.request.body).toEqual({ idleMinutes: 20, hours: 12 });
    expect(stage.fixture.componentInstance.open()).toBeFalse();
  });
});
