export interface Refusal {
  status: number
  body: { code: string; message: string; remedy: string; place: object }
}
export interface Asked {
  method?: string
  url?: string
  headers: { host?: string; origin?: string }
}
export function gate(request: Asked, hosts?: readonly string[]): Refusal | undefined
export function policy(nonce: string): string
