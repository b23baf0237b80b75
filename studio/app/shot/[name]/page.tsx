import { ShotScreen } from '@/features/shot/ShotScreen.tsx'

export default async function Page({ params }: { params: Promise<{ name: string }> }) {
  return <ShotScreen name={decodeURIComponent((await params).name)} />
}
