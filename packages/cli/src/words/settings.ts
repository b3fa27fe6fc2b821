/** What the client says about `settings`, in English. */
export const settingsWords = {
  options: {
    assignments: 'one or several',
  },
  done: {
    settingsSaved: 'Saved. Every node follows within seconds.',
  },
  help: {
    show: 'settings in force',
    set: 'change settings, such as totp.digits=8',
  },
  expected: {
    assignment: 'expected name=value, such as totp.digits=8',
  },
} as const;
