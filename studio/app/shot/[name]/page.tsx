import { notFound } from 'next/navigation'
import { ShotScreen } from '@/features/shot/ShotScreen.tsx'

/** A page is given its address as it was written; a route handler has it decoded already. */
function decoded(written: string): string {
  try {
    return decodeURIComponent(written)
  } catch {
    return notFound()
  }
}

export default async function Page({ params }: { params: Promise<{ name: string }> }) {
  return <ShotScreen name={decoded((await params).name)} />
}
