export { hotp, type HotpParameters } from './hotp.js';
export { totp, totpStep, type TotpParameters } from './totp.js';
export { checkTotp, type TotpCheck } from './check-totp.js';
export { checkEnrolment, type EnrolmentCheck } from './check-enrolment.js';
export { readCode } from './read-code.js';
export { checkHotp, LOOK_AHEAD, SURE_AHEAD, type HotpCheck } from './check-hotp.js';
export { resyncHotp, resyncTotp, RESYNC_COUNTERS, RESYNC_SECONDS, type Resync } from './resync.js';
export { checkClockToken, checkCounterToken, type TokenCheck, type TokenStanding } from './check-token.js';
export { learnedDrift } from './drift.js';
export {
  drawPin,
  GIVEN_PIN,
  hasPin,
  LEAST_PIN,
  LONGEST_PIN,
  pinWeakness,
  readPin,
  readPinAndCode,
  type PinAndCode,
  type PinWeakness,
} from './pin.js';
