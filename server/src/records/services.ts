import type { Services as Schedule } from '../schedule/index.js';
import type { Contents } from './content.js';
import type { Objects } from './objects.js';
import type { PageDrawer } from './pages.js';
import type { Recogniser } from './recogniser.js';

/** What records, and every area above them, are given. */
export interface Services extends Schedule {
  /** Draws content for reading on screen. */
  readonly pages: PageDrawer;
  /** Recognises words in pictures of pages. */
  readonly recogniser: Recogniser;
  /** What was taken in, byte by byte. */
  readonly contents: Contents;
  /** Where contents have copies, or lie; null for nowhere but in the database. */
  readonly objects: Objects | null;
}
