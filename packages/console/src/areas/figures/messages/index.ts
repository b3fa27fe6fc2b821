import { inLanguage } from '../../../frame/messages/index.js';
import { en } from './en.js';

export const figuresWords = await inLanguage(en, async () => (await import('./de.js')).de);
