export { hotp, type HotpParameters } from './hotp.js';
export { totp, totpStep, type TotpParameters } from './totp.js';
export { checkTotp, type TotpCheck } from './check-totp.js';
export { checkEnrolment, type EnrolmentCheck } from './check-enrolment.js';
export { readCode } from './read-code.js';
