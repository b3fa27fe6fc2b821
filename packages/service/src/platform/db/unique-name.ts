import { Refusal } from '../errors.js';
import { brokenUniqueIndex } from './errors.js';

/** Makes a change; where its unique index says that another row has the name, that is told as such. */
export async function keepingNamesApart<T>(index: string, name: string | undefined, change: Promise<T>): Promise<T> {
  try {
    return await change;
  } catch (error) {
    if (brokenUniqueIndex(error) === index) throw new Refusal('name-taken', { name: name ?? '' });
    throw error;
  }
}
