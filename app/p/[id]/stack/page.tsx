import { StackScreen } from "@/ui/stack/stackScreen";

export default function Page() {
  return <StackScreen />;
}
