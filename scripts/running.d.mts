export function running(data: string): number[]
