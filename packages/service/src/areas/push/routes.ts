import type { AreaHandlers } from '../../platform/http/call.js';
import { answerForPhone, fetchForPhone } from './answer.js';
import { beginPush, enrolPhone, ownBeginPush, ownProvePush, provePush } from './enrol.js';
import { testedPhone, testPhone } from './test-phone.js';
import { subscribePhone } from './wake.js';

export const pushHandlers: AreaHandlers<
  | `push.${'begin' | 'prove' | 'test' | 'tested'}`
  | `own.${'beginPush' | 'provePush'}`
  | `phones.${'enrol' | 'fetch' | 'answer' | 'subscribe'}`
> = {
  'push.begin': beginPush,
  'push.prove': provePush,
  'push.test': testPhone,
  'push.tested': testedPhone,
  'own.beginPush': ownBeginPush,
  'own.provePush': ownProvePush,
  'phones.enrol': enrolPhone,
  'phones.fetch': fetchForPhone,
  'phones.answer': answerForPhone,
  'phones.subscribe': subscribePhone,
};
