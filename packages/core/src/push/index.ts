/** Approvals on a phone: what its page and the service say to each other (docs/push-protocol.md). */
export * from './asking.js';
export { drawNumber } from './number.js';
export {
  CLOCK_OFF_MOST,
  deviceKeyObject,
  PUSH_VERSION,
  readPush,
  readPushEnrolment,
  thumbprint,
  typeOf,
  unlockChallenge,
  type DeviceKey,
  type PushMessageKind,
  type PushMessages,
  type PushRead,
  type PushReading,
  type PushRefusal,
  type Subscription,
  type Unlock,
} from './messages.js';
