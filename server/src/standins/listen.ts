import type { Hono } from 'hono';
import { listen, stopListening } from '../kernel/index.js';

/** A small simulated service on loopback, on a free port of its own. */
export interface StandIn {
  readonly url: string;
  stop(): Promise<void>;
}

const graceMs = 1000;

export async function serveStandIn(app: Hono): Promise<StandIn> {
  const listening = await listen(app, { port: 0, host: '127.0.0.1' });
  return { url: `http://127.0.0.1:${listening.port}`, stop: () => stopListening(listening, graceMs) };
}
