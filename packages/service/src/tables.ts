import { accessTokens } from './access/access-token.model.js';
import { hostLinks } from './access/host-link.model.js';
import { roleGrants } from './access/role-grant.model.js';
import { roleLimits } from './access/role-limit.model.js';
import { sessions } from './access/session.model.js';
import { setUps } from './access/set-up.model.js';
import { signatureRequests } from './access/signature-request.model.js';
import { applicationOrigins } from './applications/application-origin.model.js';
import { applications } from './applications/application.model.js';
import { connectionKeys } from './applications/connection-key.model.js';
import { connections } from './applications/connection.model.js';
import { jobs } from './background/job.model.js';
import { nodes } from './background/node.model.js';
import { browserPeople } from './browsers/browser-person.model.js';
import { browserSessions } from './browsers/browser-session.model.js';
import { browsers } from './browsers/browser.model.js';
import { rememberedBrowsers } from './browsers/remembered-browser.model.js';
import { schemaLock } from './db/schema-lock.model.js';
import { schemaMigrations } from './db/schema-migration.model.js';
import { outbox } from './delivery/outbox.model.js';
import { outcomes } from './http/outcome.model.js';
import { importBlocks } from './imports/import-block.model.js';
import { importMappings } from './imports/import-mapping.model.js';
import { importRows } from './imports/import-row.model.js';
import { imports } from './imports/import.model.js';
import { personReferences } from './imports/person-reference.model.js';
import { storedSettings } from './insight/settings.model.js';
import { signInHours } from './insight/sign-in-hour.model.js';
import { authenticatorApplications } from './keyring/authenticator-application.model.js';
import { authenticators } from './keyring/authenticator.model.js';
import { carriers } from './keyring/carrier.model.js';
import { webauthnCredentials } from './keyring/webauthn-credential.model.js';
import { methodSettings } from './methods/method-settings.model.js';
import { attestationRoots } from './models/attestation-root.model.js';
import { keyMetadata } from './models/key-metadata.model.js';
import { keyModelIdentifiers } from './models/key-model-identifier.model.js';
import { keyModels } from './models/key-model.model.js';
import { networks } from './networks/network.model.js';
import { oidcGrants } from './oidc/oidc-grant.model.js';
import { signingKeys } from './oidc/signing-key.model.js';
import { bulkChangePeople } from './people/bulk-change-person.model.js';
import { bulkChanges } from './people/bulk-change.model.js';
import { groupClosure } from './people/group-closure.model.js';
import { groupMembers } from './people/group-member.model.js';
import { groupNesting } from './people/group-nesting.model.js';
import { groupParts } from './people/group-part.model.js';
import { groups } from './people/group.model.js';
import { loginNames } from './people/login-name.model.js';
import { peopleCounts } from './people/people-count.model.js';
import { personMethods } from './people/person-method.model.js';
import { personTerms } from './people/person-term.model.js';
import { persons } from './people/person.model.js';
import { relyingParties } from './relying-party/relying-party.model.js';
import { graces } from './rulebook/grace.model.js';
import { rulebookDrafts } from './rulebook/rulebook-draft.model.js';
import { rulebookVersions } from './rulebook/rulebook-version.model.js';
import { keySet } from './secrets/key-set.model.js';
import { decoyGuards } from './signins/decoy-guard.model.js';
import { familiarSources } from './signins/familiar-source.model.js';
import { signInJudgements } from './signins/sign-in-judgement.model.js';
import { signIns } from './signins/sign-in.model.js';
import { sourceFailures } from './signins/source-failure.model.js';
import { spentRequests } from './signins/spent-request.model.js';
import { fileCertificates } from './stock/file-certificate.model.js';
import { tokenBatches } from './stock/token-batch.model.js';
import { tokenEvents } from './stock/token-event.model.js';
import { tokens } from './stock/token.model.js';
import { trailEntries } from './trail/trail-entry.model.js';
import { trailSeals } from './trail/trail-seal.model.js';
import type { Model } from 'sequelize';
import type { Table } from './db/models.js';

/** Every table of the installation, by the area that owns it. What goes over all of them (a rotation of keys, the tests of the schema) reads this. */
export const TABLES = [
  accessTokens,
  hostLinks,
  roleGrants,
  roleLimits,
  sessions,
  setUps,
  signatureRequests,
  applicationOrigins,
  applications,
  connectionKeys,
  connections,
  jobs,
  nodes,
  browserPeople,
  browserSessions,
  browsers,
  rememberedBrowsers,
  schemaLock,
  schemaMigrations,
  outbox,
  outcomes,
  importBlocks,
  importMappings,
  importRows,
  imports,
  personReferences,
  storedSettings,
  signInHours,
  authenticatorApplications,
  authenticators,
  carriers,
  webauthnCredentials,
  methodSettings,
  attestationRoots,
  keyMetadata,
  keyModelIdentifiers,
  keyModels,
  networks,
  oidcGrants,
  signingKeys,
  bulkChangePeople,
  bulkChanges,
  groupClosure,
  groupMembers,
  groupNesting,
  groupParts,
  groups,
  loginNames,
  peopleCounts,
  personMethods,
  personTerms,
  persons,
  relyingParties,
  graces,
  rulebookDrafts,
  rulebookVersions,
  keySet,
  decoyGuards,
  familiarSources,
  signInJudgements,
  signIns,
  sourceFailures,
  spentRequests,
  fileCertificates,
  tokenBatches,
  tokenEvents,
  tokens,
  trailEntries,
  trailSeals,
] as unknown as readonly Table<Model>[];
