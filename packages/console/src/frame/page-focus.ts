/** What stands beside the rail: there as long as the console is, whatever page is shown in it. */
export const PAGE_ID = 'page';

/** Takes the keyboard, and whoever listens, to the page. */
export const focusPage = (): void => document.getElementById(PAGE_ID)?.focus();

/** A dialog that closes gives the focus back to where it came from; this is after that. */
const AFTER_DIALOG_MS = 80;

/** The same once a dialog has closed; where the page has opened one of its own by then, the focus is there already. */
export function focusPageLater(): void {
  setTimeout(() => {
    if (!document.querySelector('[role=dialog], [role=alertdialog]')) focusPage();
  }, AFTER_DIALOG_MS);
}
