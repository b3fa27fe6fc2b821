import type { AreaHandlers } from '../../platform/http/call.js';
import { beginTotp } from './begin-totp.js';
import { editCarrier, reportCarrier } from './carriers.js';
import { changeAuthenticator } from './change-authenticator.js';
import { ownProveToken, ownReportLost, ownResync, ownSetPin } from './own-devices.js';
import { ownBeginTest, ownPrefer, ownRename, ownTest } from './own-changes.js';
import { ownBeginTotp, ownProveTotp, ownSetPassword, ownShow } from './own.js';
import { proveTotp } from './prove-totp.js';
import { givePin, removePin } from './pins.js';
import { prefer } from './prefer.js';
import { rename } from './rename.js';
import { makeRecoveryFor, ownMakeRecovery } from './recovery.js';
import { restrict } from './restrict.js';
import { resync, testCode } from './resync.js';
import { readKeyring } from './store.js';
import { beginWebauthn, bringWebauthn, ownBeginWebauthn, ownProveWebauthn } from './webauthn.js';

export const keyringHandlers: AreaHandlers<
  | 'keyring.show'
  | 'carriers.edit'
  | 'totp.begin'
  | 'totp.prove'
  | 'webauthn.begin'
  | 'webauthn.prove'
  | 'authenticators.suspend'
  | 'authenticators.resume'
  | 'authenticators.revoke'
  | 'authenticators.unlock'
  | 'authenticators.resync'
  | 'authenticators.test'
  | 'authenticators.prefer'
  | 'authenticators.rename'
  | 'authenticators.restrict'
  | 'authenticators.givePin'
  | 'authenticators.removePin'
  | 'carriers.report'
  | 'own.show'
  | 'own.beginTotp'
  | 'own.proveTotp'
  | 'own.beginWebauthn'
  | 'own.proveWebauthn'
  | 'own.proveToken'
  | 'own.resync'
  | 'own.setPin'
  | 'own.reportLost'
  | 'own.rename'
  | 'own.prefer'
  | 'own.beginTest'
  | 'own.test'
  | 'own.setPassword'
  | 'own.makeRecovery'
  | 'recovery.make'
> = {
  'keyring.show': async (deps, { params }) => ({ answer: await readKeyring(deps, params.id) }),
  'carriers.edit': editCarrier,
  'totp.begin': beginTotp,
  'totp.prove': proveTotp,
  'webauthn.begin': beginWebauthn,
  'webauthn.prove': bringWebauthn,
  'authenticators.suspend': changeAuthenticator('authenticators.suspend'),
  'authenticators.resume': changeAuthenticator('authenticators.resume'),
  'authenticators.revoke': changeAuthenticator('authenticators.revoke'),
  'authenticators.resync': resync,
  'authenticators.test': testCode,
  'authenticators.prefer': prefer,
  'authenticators.rename': rename,
  'authenticators.restrict': restrict,
  'authenticators.givePin': givePin,
  'authenticators.removePin': removePin,
  'carriers.report': reportCarrier,
  'own.show': ownShow,
  'own.beginTotp': ownBeginTotp,
  'own.proveTotp': ownProveTotp,
  'own.beginWebauthn': ownBeginWebauthn,
  'own.proveWebauthn': ownProveWebauthn,
  'own.proveToken': ownProveToken,
  'own.resync': ownResync,
  'own.setPin': ownSetPin,
  'own.reportLost': ownReportLost,
  'own.rename': ownRename,
  'own.prefer': ownPrefer,
  'own.beginTest': ownBeginTest,
  'own.test': ownTest,
  'own.setPassword': ownSetPassword,
  'own.makeRecovery': ownMakeRecovery,
  'recovery.make': makeRecoveryFor,
  'authenticators.unlock': changeAuthenticator('authenticators.unlock'),
};
