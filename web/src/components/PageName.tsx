/** A page by its path and title, which come from anybody's site and are only ever text. */
import { cx } from "./ui";

interface Props {
  path: string;
  title?: string;
  className?: string;
}

const readable = (path: string) => {
  try {
    return decodeURI(path);
  } catch {
    return path;
  }
};

export function PageName({ path, title, className }: Props) {
  return (
    <span className={cx("block min-w-0 text-left", className)}>
      <bdi className="num block truncate text-ink" title={readable(path)}>
        {readable(path)}
      </bdi>
      {title && <bdi className="block truncate text-small leading-tight text-quiet">{title}</bdi>}
    </span>
  );
}
