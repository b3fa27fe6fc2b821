/** What went wrong and what to do, for each code of the table of errors. */
export const enErrors = {
  errors: {
    'invalid-input': {
      title: 'Something in the request is not as expected.',
      remedy: 'Correct the fields that are named and send it again.',
    },
    'malformed-request': {
      title: 'What came is no request of HTTP, or its head is too long.',
      remedy: 'Look at what lies between; the address and the headers have to fit into 16 kB.',
    },
    'malformed-body': {
      title: 'The body is not complete JSON.',
      remedy: 'Send one JSON object; it may have been cut short on the way.',
    },
    'not-signed-in': {
      title: 'You are not signed in, or no longer.',
      remedy: 'Sign in again: open the console, or run nlatch login.',
    },
    'wrong-key': {
      title: 'This application key is not valid.',
      remedy: 'Check the Authorization header, or issue a new key on the page of the application.',
    },
    'not-permitted': {
      title: 'Your roles do not allow this.',
      remedy: 'Ask an owner; the permission that is missing is {permission}.',
    },
    'outside-your-groups': {
      title: 'Your roles are limited to groups, and this is outside of them.',
      remedy: 'Ask an owner, or somebody whose role has no limit; the permission is {permission}.',
    },
    'owners-only': {
      title: 'This is an administrator or an emergency account; only owners may change those.',
      remedy: 'Ask an owner.',
    },
    'own-rights': {
      title: 'Nobody changes their own roles.',
      remedy: 'Ask another owner.',
    },
    'not-yours-to-sign': {
      title: 'This countersignature is not yours to give or refuse.',
      remedy: 'It takes another administrator who may do it themselves, and whom it is not about.',
    },
    'role-not-limitable': {
      title: 'The role {role} is about the installation as a whole and cannot be limited to groups.',
      remedy: 'Give it without a limit, or give another role.',
    },
    'signature-needed': {
      title: 'This needs the yes of a second administrator; nothing was done yet.',
      remedy:
        'Do it again once the request {request} is countersigned, before {until}. Where there is no second administrator, from {ripe} on.',
    },
    'signature-expired': {
      title: 'The request for a countersignature has run out.',
      remedy: 'Ask for it again.',
    },
    'scope-missing': {
      title: 'This connection was not granted the scope {scope}.',
      remedy: 'Grant it on the page of the application if it should have it.',
    },
    'proof-needed': {
      title: 'This needs a fresh proof that it is you.',
      remedy: 'Sign in once more, then repeat it.',
    },
    'cross-site': {
      title: 'The request did not come from this console.',
      remedy: 'Open the console itself and do it there.',
    },
    'not-found': {
      title: 'There is no such thing here.',
      remedy: 'Check the address or the id; it may have been deleted.',
    },
    'login-name-taken': {
      title: 'The login name {loginName} belongs to somebody already.',
      remedy: 'Choose another, or take it away from that person first.',
    },
    'serial-taken': {
      title: 'Another carrier has this serial number: it belongs to {name}.',
      remedy: 'Read the number again; where the device has changed hands, take it off that carrier first.',
    },
    'name-taken': { title: 'The name {name} is taken.', remedy: 'Choose another name.' },
    'wrong-state': {
      title: 'That cannot be done while it is {state}.',
      remedy: 'Look at it again; it may have changed meanwhile.',
    },
    'last-login-name': {
      title: 'This is the last login name; without one a person cannot sign in.',
      remedy: 'Add another first.',
    },
    'last-owner': {
      title: 'This is the last active owner; nobody could administer the service any more.',
      remedy: 'Appoint another owner first.',
    },
    'limit-reached': {
      title: 'There are {limit} already, the most there can be.',
      remedy: 'Remove one that is no longer needed.',
    },
    'count-changed': {
      title:
        'It would concern {people, plural, one {# person} other {# people}}, not as many as were counted; nothing was done.',
      remedy: 'Look at the list again and repeat it with the number that is right now.',
    },
    'group-circle': {
      title: 'That would make the group a part of itself.',
      remedy: 'Look which of the two holds the other already, and take it out there first.',
    },
    'bad-rows': {
      title: '{refused, plural, one {# row is} other {# rows are}} refused, so nothing was written.',
      remedy: 'Mend them in the file and send it again, or say that bad rows may be skipped.',
    },
    'too-many-cleared': {
      title:
        'It would clear what is known of {cleared, plural, one {# person} other {# people}}; at most {most} are allowed.',
      remedy: 'See whether a column is empty by mistake; if not, say how many may be cleared.',
    },
    'entry-ambiguous': {
      title: 'Several entries end so.',
      remedy: 'Give more of the writer’s id.',
    },
    'token-proved': {
      title: 'Its codes came out right as it is, so that cannot be corrected: {what}.',
      remedy: 'Leave it as it is; if it is another device, retire this one and bring the other in.',
    },
    'too-many-missing': {
      title:
        '{missing, plural, one {# person is} other {# people are}} missing in the file and would be deactivated; at most {most} may.',
      remedy: 'Check that the file is whole. If it is, say how many may be deactivated.',
    },
    'not-a-table': {
      title: 'This file cannot be read as a table.',
      remedy: 'Save it as CSV in UTF-8, with every quote closed, and send it again.',
    },
    'sign-in-ended': { title: 'This sign-in has ended.', remedy: 'Begin a new one.' },
    'sign-in-moved-on': {
      title: 'Another proof was being checked at the same moment.',
      remedy: 'Look where the sign-in stands now, then answer its prompt.',
    },
    'request-gone': {
      title: 'This request to sign in has run out, or was used already.',
      remedy: 'Go back to the application and begin there again.',
    },
    'link-spent': {
      title: 'This link has been used, or its time is over.',
      remedy: 'Make a new one on the host: nlatchd owner-link.',
    },
    'changed-meanwhile': {
      title: 'Somebody changed it since you last looked.',
      remedy: 'Load it again, then repeat your change.',
    },
    'body-too-large': { title: 'The request is larger than the {limit} bytes allowed.', remedy: 'Send less at once.' },
    'unsupported-media-type': {
      title: 'The body is of another type than JSON.',
      remedy: 'Send content-type: application/json.',
    },
    'key-file-unreadable': {
      title: 'The file of tokens cannot be read; nothing of it was kept.',
      remedy: 'See where and why; ask the maker for it once more, or give the key that belongs to it.',
    },
    'code-used': {
      title: 'These codes were accepted before, or older ones than these.',
      remedy: 'Wait for the next code, or press the button again, and give two new ones.',
    },
    'stock-empty': {
      title: 'No token is left in the stock there.',
      remedy: 'Choose another batch, bring a new file in, or put returned tokens back into the stock.',
    },
    'code-wrong': { title: 'That is not the code.', remedy: 'Wait for the next one and type it as shown.' },
    'clock-off': {
      title: 'The code is right for another time: the clock of the device is {minutes} min {seconds} s {direction}.',
      remedy: 'Set the date and time of the device to automatic, then type a new code.',
    },
    'token-clock-off': {
      title: 'The code is right for another time: the clock of the token is {minutes} min {seconds} s {direction}.',
      remedy: 'Type two codes that it shows one after the other: they prove it, and how far its clock is off is kept.',
    },
    'token-ahead': {
      title: 'The code is right, but the token has gone on by {codes, plural, one {# code} other {# codes}} since.',
      remedy: 'Type two codes that it shows one after the other: they prove it where it stands now.',
    },
    'codes-not-consecutive': {
      title: 'The two codes do not follow each other.',
      remedy: 'Type one code, wait until it changes, type the very next one.',
    },
    'token-days': {
      title: 'This token is not good today: its days are {from} to {until}.',
      remedy: 'Take another one; these days came with it from its maker.',
    },
    'key-needs-name': {
      title: 'Passkeys and security keys need a service that has a name; this one is at the address {address}.',
      remedy: 'Give the service a name in your network, and set NLATCH_PUBLIC_URL to it.',
    },
    'keys-elsewhere': {
      title: 'Keys are made for {domain} here, but the service is reached at {host}, which lies outside of it.',
      remedy: 'Reach it by a name within that domain (NLATCH_PUBLIC_URL), or choose another: nlatch key-domain set.',
    },
    'key-not-right': {
      title: 'This key opens nothing here.',
      remedy: 'Try another one, or sign in by your login name.',
    },
    'key-not-allowed': {
      title: 'This key is none that may be enrolled here: {why}.',
      remedy: 'Take another one, or ask your administrators which keys they take.',
    },
    'metadata-refused': {
      title: 'The metadata blob is not taken: {why}.',
      remedy: 'Fetch the file anew and compare the root certificate with what its publisher says. Nothing was changed.',
    },
    'metadata-no-root': {
      title: 'Nobody is believed about key models yet.',
      remedy: 'Say first whose metadata are believed: nlatch key-model source --root <certificate.pem>.',
    },
    'metadata-unreachable': {
      title: 'No metadata came from {address}.',
      remedy: 'See whether the host of the service reaches it, or read a file: nlatch key-model read <file>.',
    },
    'key-not-taken': {
      title: 'What the key answered cannot be taken ({reason}, step {step}).',
      remedy: 'Begin again. If it stays, try another browser or another key.',
    },
    'key-known': {
      title: 'This key is registered already.',
      remedy: 'Use it as it is, or remove it first where it is registered.',
    },
    'pin-weak': {
      title: 'This PIN will not do: {why}.',
      remedy: 'Choose other digits, that are no row and no date of yours.',
    },
    'password-weak': {
      title: 'This password will not do: {why}.',
      remedy: 'Choose a longer one; several words are fine.',
    },
    'password-wrong': { title: 'The current password is not right.', remedy: 'Type it again.' },
    'key-reused': {
      title: 'This Idempotency-Key came with another request before.',
      remedy: 'Use a new key for each new request.',
    },
    'named-by-methods': {
      title: 'The method settings have a row for this group.',
      remedy: 'Take the row out first; else its people would fall to the rows below from one moment to the next.',
    },
    'method-not-offered': {
      title: 'The method settings do not offer {method} to this person (row {row} decides; 0 for none).',
      remedy: 'Look at what they are offered and why: nlatch method offered <person>, or the method settings.',
    },
    'passes-open': {
      title: 'You have given as many passes as you may at a time: {most, plural, one {#} other {#}}.',
      remedy: 'Withdraw some that are not needed any more, or ask somebody who may give more.',
    },
    'passes-today': {
      title: 'You have given as many passes as you may in a day: {most, plural, one {#} other {#}}.',
      remedy: 'Ask somebody else who may give them; owners set how many.',
    },
    'last-day': {
      title: 'It is the last day: it cannot be put off any more.',
      remedy: 'Set it up now; it takes a few minutes.',
    },
    'invitation-gone': {
      title: 'This invitation is of no use, or not any more.',
      remedy: 'Look whether all of the code is there. If it is, ask your help desk for a new one.',
    },
    'notice-gone': {
      title: 'This link is of no use, or not any more.',
      remedy: 'Open it from the notice once more, whole. If it was longer ago, call your help desk.',
    },
    'phone-unknown': {
      title: 'This phone is not known here, or not any more.',
      remedy: 'Set it up anew from where you look after how you sign in, or ask your help desk.',
    },
    'phone-clock': {
      title: 'The clock of the phone is off; here it is {now}.',
      remedy: 'Set its date and time to automatic, then do it again.',
    },
    'phone-known': {
      title: 'This phone is set up here already.',
      remedy: 'Take the account off the phone first, then follow a new link.',
    },
    'push-service-refused': {
      title: 'This phone names an address to be woken by that is not gone to.',
      remedy: 'Only push services over HTTPS are. Without one the page asks while it is open.',
    },
    'phone-waits': {
      title: 'The phone has not answered its first request yet.',
      remedy: 'Open the link on the phone, answer what it asks, then go on here.',
    },
    'proof-old': {
      title: 'This needs a fresh proof that it is you.',
      remedy: 'Say once more who you are, then repeat it.',
    },
    'proof-weak': {
      title: 'A password, a pass or a recovery code is not enough for this.',
      remedy: 'Come by something else that you hold. Something lost can be reported lost as you are.',
    },
    'last-way': {
      title: 'Without {label} you would not get in any more at: {places}.',
      remedy: 'Set up something else first, then remove it. If it is lost, report it lost.',
    },
    'not-by-oneself': {
      title: 'You cannot do this with it by yourself here.',
      remedy: 'Your help desk can.',
    },
    'no-mail-server': {
      title: 'No mail server is set up.',
      remedy: 'Set NLATCH_SMTP_URL and NLATCH_MAIL_FROM at the service, or invite on paper.',
    },
    'no-mail': {
      title: 'They have no mail address.',
      remedy: 'Enter one on their page first, or invite them on paper.',
    },
    'named-by-rule': {
      title: 'The rule “{rule}” of the rulebook in force names it.',
      remedy:
        'Publish a rulebook that does without it first; else the rule would mean something else from one moment to the next.',
    },
    'draft-missing': {
      title: 'There is no draft of the rulebook.',
      remedy: 'Save one first.',
    },
    'configuration-unsound': {
      title: 'The file is not a configuration as it stands; nothing was changed.',
      remedy: 'Mend it where the problems are, and try again; nlatch config export shows the form.',
    },
    'draft-in-the-way': {
      title: 'There is a draft of the rulebook already, and the file has another one; nothing was changed.',
      remedy: 'Publish or discard the draft first, or take the rulebook out of the file.',
    },
    'too-dear': {
      title: 'The text takes longer to read than is allowed, or more memory.',
      remedy: 'Send less of it, or with fewer levels inside one another; nothing was done.',
    },
    'draft-unsound': {
      title:
        'The draft cannot be published: {problems, plural, one {# thing is} other {# things are}} wrong with its text.',
      remedy: 'Review it: what is wrong is told by line and column.',
    },
    'if-match-needed': {
      title: 'The request does not say which version it changes.',
      remedy: 'Send If-Match with the ETag that you last saw.',
    },
    throttled: {
      title: 'Too many attempts.',
      remedy: 'Try again in {seconds, plural, one {# second} other {# seconds}}.',
    },
    internal: {
      title: 'Something went wrong on our side.',
      remedy: 'Try again; if it stays, give the request id to whoever runs the service.',
    },
    unavailable: {
      title: 'The service cannot reach its database at the moment.',
      remedy: 'Try again in a few seconds.',
    },
  },
};
