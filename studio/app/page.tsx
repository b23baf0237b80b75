import { ShotList } from '@/features/shots/ShotList.tsx'

export default function Page() {
  return <ShotList />
}
