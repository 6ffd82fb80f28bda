import { SubsScreen } from "@/ui/subs/subsScreen";

export default function Page() {
  return <SubsScreen />;
}
