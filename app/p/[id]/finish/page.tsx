import { FinishScreen } from "@/ui/finish/finishScreen";

export default function Page() {
  return <FinishScreen />;
}
