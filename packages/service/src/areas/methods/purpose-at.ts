import type { MethodPurpose } from '@nimble-latch/core/vocabulary';
import { ENROLMENT_APPLICATION, RESET_APPLICATION } from '../../platform/ids.js';

/** What a method must be good for to count at an application. */
export function purposeAt(applicationId: string): MethodPurpose {
  if (applicationId === ENROLMENT_APPLICATION) return 'enrol';
  return applicationId === RESET_APPLICATION ? 'reset' : 'sign-in';
}
