/** A file of one's own for a variant: Clabo keeps the picture and says where it is. */
import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";
import { client, data } from "../../api/client";
import { TextButton } from "../../components/ui";

export function OwnPicture({ siteId, kept }: { siteId: number; kept: (address: string) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const keep = useMutation({
    mutationFn: (file: File) =>
      data(
        client.POST("/api/sites/{site_id}/tests/pictures", {
          params: { path: { site_id: siteId } },
          body: { picture: file as unknown as string },
          bodySerializer: () => {
            const form = new FormData();
            form.append("picture", file);
            return form;
          },
        }),
      ),
    onSuccess: (said) => kept(said.address),
  });
  return (
    <div className="mt-1 text-small">
      <input
        ref={input}
        type="file"
        hidden
        accept="image/png,image/jpeg,image/webp,image/gif"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) keep.mutate(file);
        }}
      />
      <TextButton onClick={() => input.current?.click()}>{keep.isPending ? "Sending …" : "Import a file"}</TextButton>
      {keep.isError && (
        <p role="alert" className="text-brick">
          {keep.error.message}
        </p>
      )}
    </div>
  );
}
