import { configure, TextReader, Uint8ArrayWriter, ZipWriter } from '@zip.js/zip.js';

configure({ useWebWorkers: false });

/** AES of 256 bits, as the form numbers it. */
const AES_256 = 3;

/**
 * A ZIP archive of one text, encrypted so that common archivers open it (APPNOTE.TXT 6.3 §7, compression method 99 with AE-2). Its key
 * comes from the password by a thousand rounds of PBKDF2 and no more: the password has to have the strength by itself.
 *
 * @param name what the text is called inside it; that is not encrypted
 */
export async function encryptedZip(name: string, text: string, password: string): Promise<Uint8Array> {
  const writer = new ZipWriter(new Uint8ArrayWriter());
  await writer.add(name, new TextReader(text), { password, encryptionStrength: AES_256 });
  return await writer.close();
}
