import type { ObjectsConfig } from '../kernel/index.js';
import type { Objects } from './objects.js';

/** Opens the object store. Its client is large: whoever has none does not load it. */
export async function openObjects(config: ObjectsConfig): Promise<Objects> {
  const { s3Objects } = await import('./s3.js');
  return s3Objects(config);
}
