import { createReadStream, readFileSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { keyHeader, passphraseHeader, say } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { words } from '../words/index.js';
import { importWords } from '../words/import.js';

/** The file's bytes as they come; `-` is standard input. */
export async function bytesOf(file: string): Promise<ReadableStream<Uint8Array>> {
  if (file === '-') return Readable.toWeb(process.stdin) as ReadableStream<Uint8Array>;
  const found = await stat(file).catch(() => undefined);
  if (!found?.isFile())
    throw new Failure(say(importWords.errors.noFile, { file }), { try: importWords.errors.noFileTry });
  return Readable.toWeb(createReadStream(file)) as ReadableStream<Uint8Array>;
}

/** What opens a file: asked for, so that it stands on no command line. */
export async function fileKey(session: Session, openBy: 'passphrase' | 'key'): Promise<string> {
  const typed = await session.ask(importWords.asks[openBy === 'key' ? 'fileKey' : 'filePassphrase'], { hidden: true });
  const header = openBy === 'key' ? keyHeader(typed) : passphraseHeader(typed);
  if (header !== undefined) return header;
  throw new Failure(importWords.errors.fileKey, { where: '--open-by key', try: importWords.errors.fileKeyTry });
}

/** The sender's certificate, as it travels. */
export function signerOf(file: string): string {
  try {
    return readFileSync(file).toString('base64url');
  } catch (error) {
    const why = (error as NodeJS.ErrnoException).code ?? '';
    throw new Failure(say(words.errors.fileUnreadable, { file, why }), {
      where: '--signer',
      try: words.errors.fileUnreadableTry,
    });
  }
}
