/** The top of a page, small. */
import { useQuery } from "@tanstack/react-query";
import { cx } from "../../components/ui";
import { imageOf, looksQuery } from "./queries";

interface Props {
  siteId: number;
  pageId: number;
  className?: string;
}

export function Thumb({ siteId, pageId, className }: Props) {
  const looks = useQuery(looksQuery(siteId)).data;
  const here = looks?.get(pageId);
  const shape = cx("block aspect-[8/5] w-full overflow-hidden bg-paper", className);
  if (here?.desktop)
    return (
      <img
        src={imageOf(siteId, here.desktop, true)}
        alt=""
        loading="lazy"
        decoding="async"
        className={cx(shape, "object-cover object-top")}
      />
    );
  return (
    <span className={cx(shape, "grid place-items-center p-3 text-center text-small text-quiet")}>
      {here?.reason ? "No picture: open it to see why" : looks ? "No picture yet" : ""}
    </span>
  );
}
