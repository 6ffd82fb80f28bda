import { CompareScreen } from "@/ui/compare/compareScreen";

export default function Page() {
  return <CompareScreen />;
}
