import { HttpTestingController } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { me, testingProviders } from '../kit/testing';
import { Session } from './session';

describe('session', () => {
  let session: Session;
  let http: HttpTestingController;
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: testingProviders });
    session = TestBed.inject(Session);
    http = TestBed.inject(HttpTestingController);
    session.ensure().subscribe();
    http.expectOne('/api/me').flush(me);
  });
  afterEach(() => http.verify());

  it('asks once for who is signed in', () => {
    session.ensure().subscribe();
    http.expectNone('/api/me');
    expect(session.me()?.login).toBe('ines');
  });

  it('keeps the person and their rights while the server does not answer', () => {
    session.refresh();
    http.expectOne('/api/me').error(new ProgressEvent('error'));
    expect(session.me()?.login).toBe('ines');
    expect(session.may('dispose')).toBeTrue();
  });

  it('keeps them through a failure of the server itself', () => {
    session.refresh();
    http.expectOne('/api/me').flush('', { status: 503, statusText: 'unavailable' });
    expect(session.me()?.login).toBe('ines');
  });

  it('lets go when the server says that nobody is signed in', () => {
    session.refresh();
    http
      .expectOne('/api/me')
      .flush({ type: 'x', title: 'Sign in', status: 401, detail: 'Sign in first.' }, { status: 401, statusText: 'Unauthorized' });
    expect(session.me()).toBeNull();
    expect(session.may('dispose')).toBeFalse();
  });

  it('takes over rights that changed meanwhile', () => {
    session.refresh();
    http.expectOne('/api/me').flush({ ...me, rights: ['discover'] });
    expect(session.may('hold')).toBeFalse();
  });
});
