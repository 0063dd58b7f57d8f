import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Stage, testingProviders } from '../kit/testing';
import { MessagesPage } from './messagesPage';
import { SignIn } from './signIn';

describe('the entrance', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (entrance = {}, inputs = {}): Promise<Stage<SignIn>> => {
    const stage = await Stage.show(SignIn, inputs);
    await stage.answer('/api/entrance', { repository: 'Marrowick', needsFirstKeeper: false, demoAccounts: [], ...entrance });
    spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    return stage;
  };
  const enter = async (stage: Stage<SignIn>): Promise<void> => {
    await stage.type('#login', 'ines');
    await stage.type('#password', 'a long enough password');
  };

  it('lets in, and on to where one wanted to go', async () => {
    const stage = await show({}, { back: '/docket/7' });
    await enter(stage);
    await stage.press('Sign in');
    const request = await stage.answer('/api/session', {});
    expect(request.request.body).toEqual({ login: 'ines', password: 'a long enough password', code: null });
    expect(TestBed.inject(Router).navigateByUrl).toHaveBeenCalledWith('/docket/7');
  });

  for (const back of ['https://elsewhere.example', '//elsewhere.example', 'javascript:alert(1)']) {
    it(`never sends anybody to ${back}`, async () => {
      const stage = await show({}, { back });
      await enter(stage);
      await stage.press('Sign in');
      await stage.answer('/api/session', {});
      expect(TestBed.inject(Router).navigateByUrl).toHaveBeenCalledWith('/today');
    });
  }

  it('keeps the login when the password is wrong, and says so', async () => {
    const stage = await show();
    await enter(stage);
    await stage.press('Sign in');
    await stage.refuse('/api/session', 'Login or password is wrong.', undefined, 401);
    expect(stage.text()).toContain('Login or password is wrong.');
    expect(document.querySelector<HTMLInputElement>('#login')!.value).toBe('ines');
    expect(stage.button('Sign in').disabled).toBeFalse();
  });

  it('fills in a demo account and waits for the password', async () => {
    const stage = await show({ demoAccounts: [{ name: 'Tomas Varga', login: 'tomas', what: 'deputy' }] });
    stage.host.querySelector<HTMLButtonElement>('.demo button')!.click();
    await stage.settle();
    expect(document.querySelector<HTMLInputElement>('#login')!.value).toBe('tomas');
    stage.http.expectNone('/api/session');
  });

  it('makes the first keeper of an empty repository and signs them in', async () => {
    const stage = await show({ needsFirstKeeper: true });
    expect(stage.text()).toContain('This repository is empty.');
    await stage.type('#repository', 'Harbour');
    await stage.type('#name', 'Ines');
    await enter(stage);
    await stage.press('Create the repository');
    const made = await stage.answer('/api/first-keeper', {});
    expect(made.request.body).toEqual({ login: 'ines', password: 'a long enough password', name: 'Ines', repository: 'Harbour' });
    await stage.answer('/api/session', {});
    expect(TestBed.inject(Router).navigateByUrl).toHaveBeenCalledWith('/today');
  });
});

describe('messages', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const message = {
    id: 'm',
    kind: 'notice',
    subject: 'Notice D-2026-001',
    body: 'Object by 31 August.',
    link: '/docket/1',
    sentAt: '2026-08-10T08:00:00Z',
    readAt: null,
    ask: null,
  };

  it('are read when they are opened, once', async () => {
    const stage = await Stage.show(MessagesPage);
    await stage.answer('/api/messages', { messages: [message, { ...message, id: 'old', readAt: '2026-08-11T08:00:00Z' }] });
    expect(stage.host.querySelectorAll('article.unread').length).toBe(1);
    await stage.press('Mark as read');
    await stage.answer('/api/messages/m/read', {});
    await stage.answer('/api/messages', { messages: [{ ...message, readAt: '2026-09-14T08:00:00Z' }] });
    expect(stage.host.querySelectorAll('article.unread').length).toBe(0);
    spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    stage.host.querySelector<HTMLAnchorElement>('a')!.click();
    await stage.settle();
    stage.http.expectNone('/api/messages/m/read');
  });

  it('say what will be here when there are none', async () => {
    const stage = await Stage.show(MessagesPage);
    await stage.answer('/api/messages', { messages: [] });
    expect(stage.text()).toContain('Notices of holds and batches that concern you will be here.');
  });
});
