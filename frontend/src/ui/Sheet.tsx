import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import type { ReactNode } from "react";

interface SheetProps {
  title: string;
  open?: boolean;
  close: () => void;
  width?: "max-w-md" | "max-w-lg" | "max-w-xl" | "max-w-4xl";
  children: ReactNode;
}

/** The frame of every dialog: a sheet over the page, no higher than the screen, with its title. */
export function Sheet({ title, open = true, close, width = "max-w-lg", children }: SheetProps) {
  return (
    <Dialog open={open} onClose={close} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/40" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className={`sheet flex max-h-full w-full flex-col overflow-auto p-5 ${width}`}>
          <DialogTitle className="text-[17px] font-bold">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
