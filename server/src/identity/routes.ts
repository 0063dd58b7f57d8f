import { deleteCookie, setCookie } from 'hono/cookie';
import { hasRight, listRights } from '@key-cellar/core/access';
import { identity } from '@key-cellar/contract';
import { withUnitOfWork } from '../db/index.js';
import { countArrivals } from '../receiving/index.js';
import { implement, type HttpApp, type HttpContext } from '../http/implement.js';
import { sessionCookie } from '../http/session.js';
import { notAllowed, notFound, Problem } from '../problem.js';
import { todayFor } from '../reports/index.js';
import { openOfLetters, sweep } from '../docket/index.js';
import type { Services } from '../services.js';
import * as service from './service.js';
import { readSettings, writeSetting } from './settings.js';
import * as store from './store.js';
import { ledgerSize } from '../ledger/index.js';
import { row } from '../db/index.js';

function secure(context: HttpContext): boolean {
  return new URL(context.req.url).protocol === 'https:' || context.req.header('x-forwarded-proto') === 'https';
}

export function identityRoutes(app: HttpApp, services: Services): void {
  const { pool } = services;

  implement(app, services, identity.entrance, async () => {
    const settings = await readSettings(pool);
    const demo = await row<{ value: { name: string; login: string; what: string }[] }>(
      pool,
      'setting.demoAccounts',
      `select value from setting where name = 'demoAccounts'`,
    );
    return {
      repository: settings.repository,
      needsFirstKeeper: !(await store.anybodyExists(pool)),
      demoAccounts: settings.demo ? (demo?.value ?? []) : [],
    };
  });

  implement(app, services, identity.makeFirstKeeper, async ({ body, address }) => {
    await service.makeFirstKeeper(pool, body, address);
    return {};
  });

  implement(app, services, identity.signIn, async ({ body, address, context }) => {
    const { token, maxAgeSeconds } = await service.signIn(pool, body, address);
    setCookie(context, sessionCookie, token, {
      httpOnly: true,
      sameSite: 'Strict',
      path: '/',
      maxAge: maxAgeSeconds,
      secure: secure(context),
    });
    return {};
  });

  implement(app, services, identity.signOut, async ({ person, context }) => {
    await service.signOut(pool, person);
    deleteCookie(context, sessionCookie, { path: '/' });
    return {};
  });

  implement(app, services, identity.me, async ({ person }) => {
    const access = await services.access.of(person);
    const [unread, today, size] = await Promise.all([store.unreadCount(pool, person.id), todayFor(services, person), ledgerSize(pool)]);
    const count = (area: string): number => today.filter((l) => l.link.startsWith(area)).length;
    return {
      id: person.id,
      name: person.name,
      login: person.login,
      rights: listRights(access.anywhere),
      repository: person.repository,
      timeZone: person.timeZone,
      today: person.today,
      demo: person.demo,
      unread,
      needs: {
        receiving: hasRight(access.anywhere, 'deposit') ? await countArrivals(services, person) : 0,
        holds: count('/holds'),
        docket: count('/docket'),
        today: today.length,
      },
      ledgerSize: size,
    };
  });

  implement(app, services, identity.people, async () => ({
    people: (await store.people(pool)).map(({ id, name, kind }) => ({ id, name, kind })),
  }));

  implement(app, services, identity.messages, async ({ person }) => {
    const [found, open] = await Promise.all([store.messagesFor(pool, person.id), openOfLetters(pool, person.id)]);
    const asked = new Map(open.map(({ message_id, kind, ids }) => [message_id, { kind, ids }]));
    const messages = found.map((m) => ({
      id: m.id,
      kind: m.kind,
      subject: m.subject,
      body: m.body,
      link: m.link,
      sentAt: m.sent_at.toISOString(),
      readAt: m.read_at?.toISOString() ?? null,
      ask: asked.get(m.id) ?? null,
    }));
    return { messages };
  });

  implement(app, services, identity.readMessage, async ({ person, params }) => {
    await withUnitOfWork(
      pool,
      person,
      async (uow) => {
        const message = await store.lockMessage(uow, person.id, params.id);
        if (!message) throw notFound('This message');
        if (message.read_at === null) {
          await store.markRead(uow, params.id);
          uow.enter({ act: 'read a message', subject: { kind: 'message', id: params.id, name: 'message' } });
        }
      },
      'none',
    );
    return {};
  });

  implement(app, services, identity.moveClock, async ({ person, body }) => {
    if (!person.demo) throw new Problem(403, 'no-demo', 'The clock moves in a demo repository only.');
    if (!hasRight((await services.access.of(person)).anywhere, 'dispose')) throw notAllowed('dispose', 'Keepers move the demo clock.');
    if (body.to <= person.today) {
      throw new Problem(422, 'wrong-input', 'The demo clock moves forward only.', [
        { pointer: '/to', sentence: `must be after ${person.today}` },
      ]);
    }
    const days = Math.round((Date.parse(body.to) - Date.parse(person.today)) / 86_400_000);
    await withUnitOfWork(
      pool,
      person,
      async (uow) => {
        const settings = await readSettings(uow);
        await writeSetting(uow, 'clock', { demo: true, offsetDays: settings.offsetDays + days });
        uow.enter({
          act: 'moved the demo clock',
          subject: { kind: 'setting', id: null, name: 'clock' },
          before: { today: person.today },
          after: { today: body.to },
        });
      },
      'none',
    );
    const { newlyDue } = await sweep(services, { ...person, today: body.to });
    return { today: body.to, newlyDue };
  });
}
