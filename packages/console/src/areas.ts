import { accessArea } from './areas/access/area.js';
import { applicationsArea } from './areas/applications/area.js';
import { figuresArea } from './areas/figures/area.js';
import { importsArea } from './areas/imports/area.js';
import { insightArea } from './areas/insight/area.js';
import { invitationsArea } from './areas/invitations/area.js';
import { methodsArea } from './areas/methods/area.js';
import { modelsArea } from './areas/models/area.js';
import { networksArea } from './areas/networks/area.js';
import { noticesArea } from './areas/notices/area.js';
import { passesArea } from './areas/passes/area.js';
import { peopleArea } from './areas/people/area.js';
import { relyingPartyArea } from './areas/relying-party/area.js';
import { rulebookArea } from './areas/rulebook/area.js';
import { signInsArea } from './areas/signins/area.js';
import { stockArea } from './areas/stock/area.js';
import type { ConsoleArea } from './frame/area.js';

/** Every area of the console. */
export const AREAS: readonly ConsoleArea[] = [
  accessArea,
  applicationsArea,
  figuresArea,
  importsArea,
  insightArea,
  invitationsArea,
  methodsArea,
  modelsArea,
  networksArea,
  noticesArea,
  passesArea,
  peopleArea,
  relyingPartyArea,
  rulebookArea,
  signInsArea,
  stockArea,
];
