/** An object store (S3) with versions and object lock, as far as contents need it. */
export interface Objects {
  readonly lockDays: number;
  /** Writes an object and gives its version. What `bytes` throws is thrown on, and nothing is left of what was written. */
  put(id: string, bytes: AsyncIterable<Buffer>): Promise<string>;
  /** The bytes of a version from an offset on, in pieces as they come; nothing when there is no such version. */
  read(id: string, version: string, from: number): AsyncGenerator<Buffer>;
  /** Keeps a version from being deleted, by anybody, until then (compliance mode; can only be made longer). False when there is none. */
  lock(id: string, version: string, until: Date): Promise<boolean>;
  /** Deletes all versions of an object; false when the store does not allow that, as where one is locked. */
  remove(id: string): Promise<boolean>;
  close(): void;
}
