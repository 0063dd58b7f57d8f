export interface DroppedFile {
  readonly file: File;
  /** Path below what was dropped, for showing; the server keeps the last part only. */
  readonly path: string;
}

async function filesOf(entry: FileSystemEntry, path: string): Promise<DroppedFile[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return [{ file, path: path + entry.name }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: DroppedFile[] = [];
  // A directory is read in portions until an empty one comes.
  for (;;) {
    const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (entries.length === 0) return found;
    for (const inner of entries) for (const file of await filesOf(inner, `${path}${entry.name}/`)) found.push(file);
  }
}

/** All files of a drop, those in folders too. */
export async function droppedFiles(data: DataTransfer): Promise<DroppedFile[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files].map((file) => ({ file, path: file.name }));
  return (await Promise.all(entries.map((entry) => filesOf(entry, '')))).flat();
}
