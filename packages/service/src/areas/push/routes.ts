import type { AreaHandlers } from '../../platform/http/call.js';
import { answerForPhone, fetchForPhone } from './answer.js';
import { beginPush, enrolPhone, ownBeginPush, ownProvePush, provePush } from './enrol.js';
import { subscribePhone } from './wake.js';

export const pushHandlers: AreaHandlers<
  | `push.${'begin' | 'prove'}`
  | `own.${'beginPush' | 'provePush'}`
  | `phones.${'enrol' | 'fetch' | 'answer' | 'subscribe'}`
> = {
  'push.begin': beginPush,
  'push.prove': provePush,
  'own.beginPush': ownBeginPush,
  'own.provePush': ownProvePush,
  'phones.enrol': enrolPhone,
  'phones.fetch': fetchForPhone,
  'phones.answer': answerForPhone,
  'phones.subscribe': subscribePhone,
};
