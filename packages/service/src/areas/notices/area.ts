import { area } from '../../platform/area.js';
import { changeNotices } from './change-notice.model.js';
import { formerMails } from './former-mail.model.js';

/** What people are told of their keyring, and what they say was not them. */
export const noticesArea = area({
  name: 'notices',
  tables: [changeNotices, formerMails],
  sweeps: [
    // What was disputed stays until somebody has seen to it, and for a year of looking back.
    {
      table: 'change_notices',
      when: `until < UTC_TIMESTAMP(3) AND (disputed_at IS NULL OR settled_at < UTC_TIMESTAMP(3) - INTERVAL 400 DAY)`,
    },
    { table: 'former_mails', when: 'until < UTC_TIMESTAMP(3)' },
  ],
  serves: async () => {
    const { noticeHandlers } = await import('./routes.js');
    return { handlers: noticeHandlers };
  },
});
