/**
 * The QR picture in half blocks. Dark modules must be dark for cameras: with colours they are printed black on white;
 * without, blocks and gaps change places, as terminals are mostly dark.
 */
export async function blockPicture(text: string, colour: boolean): Promise<string> {
  const { default: QRCode } = await import('qrcode');
  const blocks = await QRCode.toString(text, { type: 'utf8', errorCorrectionLevel: 'L', margin: 2 });
  const swapped: Record<string, string> = { '█': ' ', ' ': '█', '▀': '▄', '▄': '▀' };
  return blocks
    .split('\n')
    .filter((line) => line !== '')
    .map((line) => (colour ? `\u001b[38;5;16;48;5;231m${line}\u001b[0m` : line.replace(/[█ ▀▄]/g, (c) => swapped[c]!)))
    .join('\n');
}
