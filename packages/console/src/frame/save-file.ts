/** Saves bytes as a file where the browser saves files; they never have an address that anybody else could ask for. */
export function saveFile(name: string, bytes: Uint8Array<ArrayBuffer>): void {
  const address = URL.createObjectURL(new Blob([bytes], { type: 'application/octet-stream' }));
  const link = document.createElement('a');
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}
