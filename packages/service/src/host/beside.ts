import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Something of another package of the project. This file stands as deep in the sources as the bundle that it becomes part of. */
export const besideService = (path: string): string => join(dirname(fileURLToPath(import.meta.url)), '../../..', path);
