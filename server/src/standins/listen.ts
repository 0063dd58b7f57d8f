import type { Hono } from 'hono';
import { listen, stopListening } from '../kernel/index.js';

/** A small simulated service, on loopback and a free port of its own unless said otherwise. */
export interface StandIn {
  readonly url: string;
  stop(): Promise<void>;
}

const graceMs = 1000;

export async function serveStandIn(app: Hono, { port, host } = { port: 0, host: '127.0.0.1' }): Promise<StandIn> {
  const listening = await listen(app, { port, host });
  return { url: `http://${host}:${listening.port}`, stop: () => stopListening(listening, graceMs) };
}
