ALTER TABLE `revisions` ADD `note` text;
