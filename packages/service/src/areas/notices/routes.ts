import { groupsWithin } from '../../platform/http/actors.js';
import type { AreaHandlers } from '../../platform/http/call.js';
import { disputeNotice, showNotice } from './dispute.js';
import { listDisputes, settleDispute } from './list.js';

export const noticeHandlers: AreaHandlers<'own.showNotice' | 'own.dispute' | 'disputes.list' | 'disputes.settle'> = {
  'own.showNotice': showNotice,
  'own.dispute': disputeNotice,
  'disputes.list': async (deps, { query, actor }) => {
    const { limit, cursor, state } = query;
    return {
      answer: await listDisputes(deps, { state, within: groupsWithin(actor, 'keyring.read') }, { limit, cursor }),
    };
  },
  'disputes.settle': settleDispute,
};
