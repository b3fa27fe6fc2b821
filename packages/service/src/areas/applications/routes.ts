import type { AreaHandlers } from '../../platform/http/call.js';
import { addApplication, deleteApplication, editApplication, setOrigins } from './change-application.js';
import { addConnection, deleteConnection, editConnection, revokeKey, rotateKey } from './connections.js';
import { listApplications, readApplication } from './store.js';

export const applicationHandlers: AreaHandlers<
  | 'applications.list'
  | 'applications.add'
  | 'applications.show'
  | 'applications.edit'
  | 'applications.setOrigins'
  | 'applications.delete'
  | 'connections.add'
  | 'connections.edit'
  | 'connections.delete'
  | 'connectionKeys.issue'
  | 'connectionKeys.revoke'
> = {
  'applications.list': async (deps, { query }) => ({ answer: await listApplications(deps, query) }),
  'applications.add': addApplication,
  'applications.show': async (deps, { params }) => {
    const application = await readApplication(deps, deps, params.id);
    return { answer: application, version: application.version };
  },
  'applications.edit': editApplication,
  'applications.setOrigins': setOrigins,
  'applications.delete': deleteApplication,
  'connections.add': addConnection,
  'connections.edit': editConnection,
  'connections.delete': deleteConnection,
  'connectionKeys.issue': rotateKey,
  'connectionKeys.revoke': revokeKey,
};
