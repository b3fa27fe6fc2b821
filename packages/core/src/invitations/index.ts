export { drawInvitationCode, readInvitationCode, shownInvitationCode, type InvitationCode } from './code.js';
export { fillText, leadsThere, unknownFields, type InvitationText } from './template.js';
export { firstOffer, outcomeOfInviting, type FirstOffer, type Invitable, type Inviting } from './who.js';
