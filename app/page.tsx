import { ShelfScreen } from "@/ui/shelf/shelfScreen";

export const dynamic = "force-dynamic";

export default function Page() {
  return <ShelfScreen demoByItself={process.env.DUNKEL_DEMO === "1"} />;
}
