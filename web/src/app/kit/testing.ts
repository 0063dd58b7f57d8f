import { en } from '@key-cellar/words/en';
import { speaker } from '@key-cellar/words/speaker';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting, type TestRequest } from '@angular/common/http/testing';
import { inject, provideZonelessChangeDetection, type Type } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { Me, Problem } from '@key-cellar/contract';
import { Session } from '../identity/index';
import { REPOSITORY_DAY } from './repositoryDay';
import { speakWith } from '../../words/say';

// What is shown in specs is in English, as on a page that was asked for in English.
speakWith(speaker('en', en));

/** For specs: the providers that pages need, with a network that answers what the spec says. */
export const testingProviders = [
  provideZonelessChangeDetection(),
  provideRouter([]),
  provideHttpClient(),
  provideHttpClientTesting(),
  { provide: REPOSITORY_DAY, useFactory: () => inject(Session).today },
];

export const me: Me = {
  id: '00000000-0000-4000-8000-000000000001',
  name: 'Ines Okafor-Lind',
  login: 'ines',
  rights: ['discover', 'read', 'copyOut', 'deposit', 'edit', 'declare', 'revoke', 'hold', 'dispose', 'arrange', 'approve', 'audit'],
  repository: 'Marrowick',
  timeZone: 'UTC',
  today: '2026-09-14',
  demo: true,
  unread: 0,
  ledgerSize: 1,
  language: null,
  secondFactorNeeded: false,
};

export class Stage<T> {
  private constructor(
    readonly fixture: ComponentFixture<T>,
    readonly http: HttpTestingController,
  ) {}

  /** Signs somebody in and shows a component. */
  static async show<T>(component: Type<T>, inputs: Record<string, unknown> = {}, who: Partial<Me> = {}): Promise<Stage<T>> {
    const http = TestBed.inject(HttpTestingController);
    TestBed.inject(Session).ensure().subscribe();
    http.expectOne('/api/me').flush({ ...me, ...who });
    const fixture = TestBed.createComponent(component);
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    const stage = new Stage(fixture, http);
    await stage.settle();
    return stage;
  }

  get host(): HTMLElement {
    return this.fixture.nativeElement as HTMLElement;
  }

  async settle(): Promise<void> {
    await this.fixture.whenStable();
  }

  /**
   * The request whose address begins so, pending or coming in the next seconds (a file is read first, typing is waited out); the one at just
   * this address, where others go below it.
   */
  async request(path: string): Promise<TestRequest> {
    const waiting = (): TestRequest[] => {
      const just = this.http.match((r) => r.urlWithParams === path).filter((r) => !r.cancelled);
      return just.length > 0 ? just : this.http.match((r) => r.urlWithParams.startsWith(path)).filter((r) => !r.cancelled);
    };
    let requests = waiting();
    for (let tries = 0; requests.length === 0 && tries < 100; tries++) {
      await new Promise((resolve) => setTimeout(resolve, 20));
      requests = waiting();
    }
    const [request] = requests;
    if (!request || requests.length > 1) throw new Error(`${requests.length} requests for ${path}, where one was expected`);
    return request;
  }

  /** Answers that request. */
  async answer(path: string, body: object, status = 200): Promise<TestRequest> {
    const request = await this.request(path);
    request.flush(body, status === 200 ? {} : { status, statusText: 'refused' });
    await this.settle();
    return request;
  }

  /** Waits for something that a thread of the browser or a timer brings. */
  async until(is: () => boolean): Promise<void> {
    for (let tries = 0; tries < 200; tries++) {
      if (is()) return;
      await new Promise((resolve) => setTimeout(resolve, 20));
      await this.settle();
    }
    throw new Error(`It did not come; there is: ${this.text().slice(0, 500)}`);
  }

  text(): string {
    return this.host.textContent!.replace(/\s+/g, ' ').trim();
  }

  button(name: string | RegExp, within: ParentNode = document): HTMLButtonElement {
    const found = [...within.querySelectorAll('button')].find((b) => {
      const label = b.getAttribute('aria-label') ?? b.textContent!.trim();
      return typeof name === 'string' ? label === name : name.test(label);
    });
    if (!found) throw new Error(`no button ${String(name)}`);
    return found;
  }

  async press(name: string | RegExp, within: ParentNode = document): Promise<void> {
    this.button(name, within).click();
    await this.settle();
  }

  async type(selector: string, text: string): Promise<void> {
    const field = document.querySelector<HTMLInputElement | HTMLTextAreaElement>(selector)!;
    field.value = text;
    field.dispatchEvent(new Event('input', { bubbles: true }));
    await this.settle();
  }

  /** Opens one of the lists by the id of its field, and gives what can be chosen. */
  async offered(field: string): Promise<HTMLElement[]> {
    document.getElementById(field)!.closest<HTMLElement>('.p-select, .p-multiselect')!.click();
    await this.settle();
    return [...document.querySelectorAll<HTMLElement>('[role="option"]')];
  }

  /** Chooses from one of the lists by the id of its field. */
  async choose(field: string, option: string | RegExp): Promise<void> {
    const options = await this.offered(field);
    const found = options.find((o) => (typeof option === 'string' ? o.textContent!.trim() === option : option.test(o.textContent!)));
    if (!found) throw new Error(`no option ${String(option)} among ${options.map((o) => o.textContent!.trim()).join(', ')}`);
    found.click();
    await this.settle();
  }

  /** The open sheet. */
  get sheet(): HTMLElement {
    return document.querySelector<HTMLElement>('.p-drawer')!;
  }

  /** Refuses the pending request with a sentence, as the server does. */
  refuse(path: string, detail: string, fields?: Problem['fields'], status = 409): Promise<TestRequest> {
    return this.answer(path, { type: 'urn:key-cellar:problem:test', title: 'Refused', status, detail, fields }, status);
  }
}
