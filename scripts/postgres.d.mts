import type { ChildProcess } from 'node:child_process'
export function postgresPrograms(): string | undefined
export function answers(port: number): Promise<boolean>
export function clientsOf(port: number, folder: string): number
export function startPostgres(folder: string, port: number, log: number): Promise<ChildProcess>
export const asOwner: (program: string, args: readonly string[]) => [string, string[]]
