/** A kept link to be taken along: to copy, and as a code to scan. */
import { CopyLine } from "../../components/ui";
import type { AdLink } from "./queries";

export function Code({ siteId, link, bare }: { siteId: number; link: AdLink; bare?: boolean }) {
  const address = `/api/sites/${siteId}/links/${link.id}/qr`;
  return (
    <div className="flex flex-col gap-3">
      {!bare && <CopyLine text={link.address} label="the link" />}
      {/* Black on white whatever the theme: that is what readers of it expect. */}
      <img src={address} alt="The link as a QR code" width={180} height={180} className="bg-white p-1" />
      <a href={address} download={`${link.campaign || "link"}.svg`} className="w-fit text-plum underline">
        The code as a file that prints at any size
      </a>
    </div>
  );
}
