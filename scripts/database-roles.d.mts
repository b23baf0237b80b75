export const OWNER: string
export const ACCESS: string
export function readPasswords(folder: string): Record<string, string> | undefined
export function makePasswords(folder: string): Record<string, string>
