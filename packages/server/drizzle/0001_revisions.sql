CREATE TABLE `revisions` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`project_id` text NOT NULL,
	`revision` integer NOT NULL,
	`name` text,
	`document` text NOT NULL,
	`made_at` integer NOT NULL,
	FOREIGN KEY (`project_id`) REFERENCES `projects`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `revisions_by_project` ON `revisions` (`project_id`,`revision`);
--> statement-breakpoint
ALTER TABLE `projects` ADD `last_proof` text;
