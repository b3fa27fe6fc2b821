export {
  LIMITABLE,
  narrowed,
  rightsOf,
  ROLE_PERMISSIONS,
  whyNoGrant,
  whyNot,
  type Concerned,
  type Grant,
  type Reach,
  type Rights,
  type WhyNot,
} from './roles.js';
export { mayGoOn, signatureState, whyNoSignature, type SignatureRequest } from './countersign.js';
