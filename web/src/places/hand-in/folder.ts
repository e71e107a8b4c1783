/** Files by their path within what was chosen or dropped. */
export type Named = [path: string, file: File];

/** A folder chosen by the browser's own dialog. */
export function chosenFolder(files: FileList): { name: string; files: Named[] } {
  const named = [...files].map((file): Named => [file.webkitRelativePath || file.name, file]);
  return { name: named[0]?.[0].split("/")[0] ?? "folder", files: named };
}

/** What was dropped: plain files, and folders with all that is in them. */
export async function dropped(
  transfer: DataTransfer,
): Promise<{ files: File[]; folders: { name: string; files: Named[] }[] }> {
  const files = [...transfer.files];
  // Entries must be taken before the first pause: the browser empties the list afterwards.
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry());
  const directories = entries.filter((entry) => entry?.isDirectory) as FileSystemDirectoryEntry[];
  const folders = new Set(directories.map((entry) => entry.name));
  const found = await Promise.all(
    directories.map(async (entry) => ({ name: entry.name, files: await filesIn(entry) })),
  );
  return {
    // A folder stands among the files as one of no type, which cannot be read.
    files: files.filter((file) => file.type !== "" || !folders.has(file.name)),
    folders: found,
  };
}

async function filesIn(directory: FileSystemDirectoryEntry): Promise<Named[]> {
  const reader = directory.createReader();
  const found: Named[] = [];
  for (;;) {
    // A directory is told in parts, until one is empty.
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (!part.length) return found;
    for (const entry of part) {
      if (entry.isDirectory) found.push(...(await filesIn(entry as FileSystemDirectoryEntry)));
      else found.push([entry.fullPath.replace(/^\//, ""), await fileOf(entry as FileSystemFileEntry)]);
    }
  }
}

const fileOf = (entry: FileSystemFileEntry) =>
  new Promise<File>((resolve, reject) => entry.file(resolve, reject));
