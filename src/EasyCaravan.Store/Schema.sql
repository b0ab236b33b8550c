CREATE TABLE "batch_crossings" (
    "Batch" TEXT NOT NULL CONSTRAINT "PK_batch_crossings" PRIMARY KEY,
    "AskedAt" INTEGER NOT NULL,
    "AskedBy" TEXT NOT NULL,
    "CutoverAt" INTEGER NULL,
    "Wave" INTEGER NOT NULL,
    "State" INTEGER NOT NULL,
    "Because" TEXT NULL
);


CREATE TABLE "batch_hours" (
    "Batch" TEXT NOT NULL,
    "Hour" INTEGER NOT NULL,
    "StagesJson" TEXT NOT NULL,
    "NeedsYou" INTEGER NOT NULL,
    "Found" INTEGER NOT NULL,
    "Settled" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "ForecastEarliest" INTEGER NULL,
    "ForecastLatest" INTEGER NULL,
    CONSTRAINT "PK_batch_hours" PRIMARY KEY ("Batch", "Hour")
);


CREATE TABLE "batch_starts" (
    "Batch" TEXT NOT NULL,
    "StartsAt" INTEGER NOT NULL,
    CONSTRAINT "PK_batch_starts" PRIMARY KEY ("Batch", "StartsAt")
);


CREATE TABLE "collection_homes" (
    "Service" TEXT NOT NULL,
    "Account" TEXT NOT NULL,
    "Kind" INTEGER NOT NULL,
    "Url" TEXT NOT NULL,
    "Found" TEXT NOT NULL,
    CONSTRAINT "PK_collection_homes" PRIMARY KEY ("Service", "Account", "Kind")
);


CREATE TABLE "consents" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_consents" PRIMARY KEY AUTOINCREMENT,
    "Service" TEXT NOT NULL,
    "Account" TEXT NOT NULL,
    "Origin" TEXT NOT NULL,
    "Token" TEXT NOT NULL,
    "Scope" TEXT NULL,
    "Who" TEXT NOT NULL,
    "At" INTEGER NOT NULL
);


CREATE TABLE "decisions" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_decisions" PRIMARY KEY AUTOINCREMENT,
    "Scope" INTEGER NOT NULL,
    "Place" TEXT NOT NULL,
    "Code" INTEGER NOT NULL,
    "Way" INTEGER NOT NULL,
    "Value" TEXT NULL,
    "Who" TEXT NOT NULL,
    "At" INTEGER NOT NULL
);


CREATE TABLE "drains" (
    "Service" TEXT NOT NULL CONSTRAINT "PK_drains" PRIMARY KEY,
    "StopsRunning" INTEGER NOT NULL,
    "Who" TEXT NOT NULL,
    "At" INTEGER NOT NULL
);


CREATE TABLE "errands" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_errands" PRIMARY KEY AUTOINCREMENT,
    "Name" TEXT NOT NULL,
    "Key" TEXT NULL,
    "Kind" INTEGER NOT NULL,
    "Text" TEXT NOT NULL,
    "CreatedAt" INTEGER NOT NULL,
    "CreatedBy" TEXT NOT NULL,
    "KeepUntil" INTEGER NULL,
    "DeletedAt" INTEGER NULL
);


CREATE TABLE "flag_sets" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_flag_sets" PRIMARY KEY AUTOINCREMENT,
    "Written" TEXT NOT NULL
);


CREATE TABLE "item_files" (
    "Name" TEXT NOT NULL CONSTRAINT "PK_item_files" PRIMARY KEY,
    "Packed" BLOB NOT NULL,
    "Length" INTEGER NOT NULL,
    "Digest" TEXT NOT NULL,
    "ReceivedAt" INTEGER NOT NULL,
    "ColumnsJson" TEXT NULL,
    "ReadAs" INTEGER NULL,
    "Title" TEXT NULL,
    "Items" INTEGER NOT NULL
);


CREATE TABLE "item_names" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_item_names" PRIMARY KEY AUTOINCREMENT,
    "Service" TEXT NOT NULL,
    "Account" TEXT NOT NULL,
    "Name" TEXT NOT NULL,
    "Number" INTEGER NOT NULL
);


CREATE TABLE "journal" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_journal" PRIMARY KEY AUTOINCREMENT,
    "At" INTEGER NOT NULL,
    "Batch" TEXT NULL,
    "MoveId" INTEGER NULL,
    "Person" TEXT NULL,
    "Who" TEXT NOT NULL,
    "Text" TEXT NOT NULL
);


CREATE TABLE "looks" (
    "Who" TEXT NOT NULL CONSTRAINT "PK_looks" PRIMARY KEY,
    "At" INTEGER NOT NULL
);


CREATE TABLE "moves" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_moves" PRIMARY KEY AUTOINCREMENT,
    "Batch" TEXT NOT NULL,
    "Name" TEXT NOT NULL,
    "FromAccount" TEXT NOT NULL,
    "ToAccount" TEXT NOT NULL,
    "FromLogin" TEXT NOT NULL,
    "ToLogin" TEXT NOT NULL,
    "FromSecret" TEXT NULL,
    "ToSecret" TEXT NULL,
    "FromSecretReference" TEXT NULL,
    "ToSecretReference" TEXT NULL,
    "FromLoginBefore" TEXT NULL,
    "ToLoginBefore" TEXT NULL,
    "FromSecretBefore" TEXT NULL,
    "ToSecretBefore" TEXT NULL,
    "ToUnder" TEXT NULL,
    "ToRoot" TEXT NULL,
    "Note" TEXT NULL,
    "Language" TEXT NULL,
    "Notify" TEXT NULL,
    "ForwardTo" TEXT NULL,
    "Stage" INTEGER NOT NULL,
    "Condition" INTEGER NOT NULL,
    "WaitsFor" INTEGER NULL,
    "Until" INTEGER NULL,
    "FaultCause" INTEGER NULL,
    "FaultWhom" TEXT NULL,
    "FaultWhat" TEXT NULL,
    "FaultCode" TEXT NULL,
    "FaultHelp" TEXT NULL,
    "FaultService" TEXT NULL,
    "FaultNotBefore" INTEGER NULL,
    "FaultBeforeSignIn" INTEGER NULL,
    "ConditionLeg" INTEGER NULL,
    "Wanted" INTEGER NULL,
    "Attempts" INTEGER NOT NULL,
    "DueAt" INTEGER NULL,
    "Since" INTEGER NULL,
    "Handicap" INTEGER NOT NULL,
    "Turn" INTEGER NULL,
    "Priority" INTEGER NULL,
    "LeaseOwner" TEXT NULL,
    "LeaseUntil" INTEGER NULL,
    "Fence" INTEGER NOT NULL,
    "Found" INTEGER NOT NULL,
    "Carried" INTEGER NOT NULL,
    "Paired" INTEGER NOT NULL,
    "Excluded" INTEGER NOT NULL,
    "LeftBehind" INTEGER NOT NULL,
    "OpenLeftBehind" INTEGER NOT NULL,
    "Undecided" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "ChangedAt" INTEGER NOT NULL
);


CREATE TABLE "notice_marks" (
    "Name" TEXT NOT NULL CONSTRAINT "PK_notice_marks" PRIMARY KEY,
    "Value" INTEGER NOT NULL,
    "Next" INTEGER NOT NULL
);


CREATE TABLE "notice_switches" (
    "Batch" TEXT NOT NULL CONSTRAINT "PK_notice_switches" PRIMARY KEY,
    "OffSince" INTEGER NOT NULL,
    "By" TEXT NOT NULL
);


CREATE TABLE "notices" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_notices" PRIMARY KEY AUTOINCREMENT,
    "Key" TEXT NOT NULL,
    "About" INTEGER NOT NULL,
    "Way" INTEGER NOT NULL,
    "To" TEXT NOT NULL,
    "Language" TEXT NOT NULL,
    "Batch" TEXT NULL,
    "Account" TEXT NULL,
    "Facts" TEXT NOT NULL,
    "State" INTEGER NOT NULL,
    "MadeAt" INTEGER NOT NULL,
    "DueAt" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    "Attempts" INTEGER NOT NULL,
    "Answer" TEXT NULL,
    "Subject" TEXT NULL,
    "MessageId" TEXT NULL,
    "LeaseOwner" TEXT NULL,
    "LeaseUntil" INTEGER NULL
);


CREATE TABLE "parcel_terms" (
    "Place" TEXT NOT NULL,
    "Name" TEXT NOT NULL,
    "KeepUntil" INTEGER NULL,
    CONSTRAINT "PK_parcel_terms" PRIMARY KEY ("Place", "Name")
);


CREATE TABLE "plans" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_plans" PRIMARY KEY AUTOINCREMENT,
    "File" TEXT NOT NULL,
    "Text" TEXT NOT NULL,
    "FilesJson" TEXT NOT NULL,
    "Rosters" TEXT NULL,
    "AppliedAt" INTEGER NOT NULL,
    "AppliedBy" TEXT NOT NULL
);


CREATE TABLE "service_speeds" (
    "Service" TEXT NOT NULL,
    "Kind" INTEGER NOT NULL,
    "MultiGet" REAL NULL,
    "Query" REAL NULL,
    "WritingLanes" INTEGER NULL,
    CONSTRAINT "PK_service_speeds" PRIMARY KEY ("Service", "Kind")
);


CREATE TABLE "tokens" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_tokens" PRIMARY KEY AUTOINCREMENT,
    "Name" TEXT NOT NULL,
    "Hash" TEXT NOT NULL,
    "CreatedAt" INTEGER NOT NULL,
    "CreatedBy" TEXT NULL,
    "EndsAt" INTEGER NULL,
    "UsedAt" INTEGER NULL,
    "RevokedAt" INTEGER NULL
);


CREATE TABLE "arrival_looks" (
    "MoveId" INTEGER NOT NULL,
    "Place" TEXT NOT NULL,
    "Epoch" INTEGER NOT NULL,
    "Next" INTEGER NOT NULL,
    "Count" INTEGER NOT NULL,
    CONSTRAINT "PK_arrival_looks" PRIMARY KEY ("MoveId", "Place"),
    CONSTRAINT "FK_arrival_looks_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "arrivals" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_arrivals" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Place" TEXT NOT NULL,
    "Epoch" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Size" INTEGER NOT NULL,
    "Low" INTEGER NOT NULL,
    "High" INTEGER NOT NULL,
    "Certain" INTEGER NOT NULL,
    "Gone" INTEGER NOT NULL,
    "Matched" INTEGER NOT NULL,
    CONSTRAINT "FK_arrivals_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "comparisons" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_comparisons" PRIMARY KEY,
    "AskedAt" INTEGER NOT NULL,
    "AskedBy" TEXT NOT NULL,
    "EndedAt" INTEGER NULL,
    "Share" REAL NOT NULL,
    "Kind" INTEGER NULL,
    "Page" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Compared" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "Differing" INTEGER NOT NULL,
    "FlagsChanged" INTEGER NOT NULL,
    "Arrived" INTEGER NOT NULL,
    CONSTRAINT "FK_comparisons_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "correspondences" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_correspondences" PRIMARY KEY,
    "Since" INTEGER NOT NULL,
    "AskedAt" INTEGER NOT NULL,
    "CountedAt" INTEGER NULL,
    "Messages" INTEGER NOT NULL,
    "Note" INTEGER NULL,
    "NoteAskedAt" INTEGER NULL,
    "NoteAskedBy" TEXT NULL,
    "NoteBecause" TEXT NULL,
    CONSTRAINT "FK_correspondences_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "correspondents" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_correspondents" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Address" TEXT NOT NULL,
    "Name" TEXT NOT NULL,
    "Received" INTEGER NOT NULL,
    "Sent" INTEGER NOT NULL,
    "LastAt" INTEGER NOT NULL,
    "IsColleague" INTEGER NOT NULL,
    "Note" INTEGER NULL,
    "NoteAt" INTEGER NULL,
    "NoteSaid" TEXT NULL,
    CONSTRAINT "FK_correspondents_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "crossing_acts" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_crossing_acts" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Act" INTEGER NOT NULL,
    "What" TEXT NOT NULL,
    "BegunAt" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    "Outcome" TEXT NULL,
    CONSTRAINT "FK_crossing_acts_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "crossing_gates" (
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "Colour" INTEGER NOT NULL,
    "Facts" TEXT NOT NULL,
    "Remedy" TEXT NULL,
    "AcceptedBy" TEXT NULL,
    "AcceptedBecause" TEXT NULL,
    "AcceptedAt" INTEGER NULL,
    CONSTRAINT "PK_crossing_gates" PRIMARY KEY ("MoveId", "Kind"),
    CONSTRAINT "FK_crossing_gates_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "crossings" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_crossings" PRIMARY KEY,
    "Goal" INTEGER NOT NULL,
    "Step" INTEGER NOT NULL,
    "Due" INTEGER NULL,
    "WaitsFor" INTEGER NULL,
    "FaultCause" INTEGER NULL,
    "FaultWhom" TEXT NULL,
    "FaultWhat" TEXT NULL,
    "FaultCode" TEXT NULL,
    "FaultHelp" TEXT NULL,
    "FaultService" TEXT NULL,
    "FaultNotBefore" INTEGER NULL,
    "FaultBeforeSignIn" INTEGER NULL,
    "Attempts" INTEGER NOT NULL,
    "ClosingSince" INTEGER NULL,
    "LookedAt" INTEGER NULL,
    "BegunAt" INTEGER NULL,
    "SettledAt" INTEGER NULL,
    "Wave" INTEGER NULL,
    CONSTRAINT "FK_crossings_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "forwardings" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_forwardings" PRIMARY KEY,
    "Way" INTEGER NOT NULL,
    "To" TEXT NULL,
    "Ours" BLOB NULL,
    "ActiveBefore" TEXT NULL,
    "Before" BLOB NULL,
    "OnAt" INTEGER NULL,
    "NumbersBefore" TEXT NULL,
    "NumbersAfter" TEXT NULL,
    "SaidOn" INTEGER NOT NULL,
    "SaidOff" INTEGER NOT NULL,
    "PutBack" INTEGER NOT NULL,
    "Confirmation" INTEGER NULL,
    "ConfirmationAskedAt" INTEGER NULL,
    "ConfirmationCode" TEXT NULL,
    CONSTRAINT "FK_forwardings_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "late_mail" (
    "FolderId" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "MoveId" INTEGER NOT NULL,
    "At" INTEGER NOT NULL,
    "Sender" TEXT NOT NULL,
    CONSTRAINT "PK_late_mail" PRIMARY KEY ("FolderId", "Number"),
    CONSTRAINT "FK_late_mail_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "ledger_folders" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_ledger_folders" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "From" TEXT NOT NULL,
    "To" TEXT NOT NULL,
    "FromEpoch" INTEGER NULL,
    "ToEpoch" INTEGER NULL,
    "ToBaseNext" INTEGER NOT NULL,
    "CursorNext" INTEGER NULL,
    "CursorMark" INTEGER NULL,
    "CursorCount" INTEGER NULL,
    "Reopened" INTEGER NOT NULL,
    "Found" INTEGER NOT NULL,
    "Carried" INTEGER NOT NULL,
    "Paired" INTEGER NOT NULL,
    "Excluded" INTEGER NOT NULL,
    "LeftBehind" INTEGER NOT NULL,
    "Gone" INTEGER NOT NULL,
    "Missing" INTEGER NOT NULL,
    "Twice" INTEGER NOT NULL,
    "Altered" INTEGER NOT NULL,
    "Undecided" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "OctetsBefore" INTEGER NOT NULL,
    "SeenNext" INTEGER NULL,
    "SeenCount" INTEGER NULL,
    "LeftWhole" INTEGER NOT NULL,
    "RenamedFrom" TEXT NULL,
    CONSTRAINT "FK_ledger_folders_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "legs" (
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "Position" INTEGER NOT NULL,
    "Stage" INTEGER NOT NULL,
    "Due" INTEGER NULL,
    "WaitsFor" INTEGER NULL,
    "FaultCause" INTEGER NULL,
    "FaultWhom" TEXT NULL,
    "FaultWhat" TEXT NULL,
    "FaultCode" TEXT NULL,
    "FaultHelp" TEXT NULL,
    "FaultService" TEXT NULL,
    "FaultNotBefore" INTEGER NULL,
    "FaultBeforeSignIn" INTEGER NULL,
    "Attempts" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    "InStepSince" INTEGER NULL,
    "Found" INTEGER NOT NULL,
    "Carried" INTEGER NOT NULL,
    "Paired" INTEGER NOT NULL,
    "Excluded" INTEGER NOT NULL,
    "LeftBehind" INTEGER NOT NULL,
    "OpenLeftBehind" INTEGER NOT NULL,
    "Undecided" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    CONSTRAINT "PK_legs" PRIMARY KEY ("MoveId", "Kind"),
    CONSTRAINT "FK_legs_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "made_places" (
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "As" INTEGER NOT NULL,
    "Place" TEXT NOT NULL,
    CONSTRAINT "PK_made_places" PRIMARY KEY ("MoveId", "Kind", "As", "Place"),
    CONSTRAINT "FK_made_places_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "passes" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_passes" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "StartedAt" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    "Stopped" INTEGER NOT NULL,
    "Fault" TEXT NULL,
    CONSTRAINT "FK_passes_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "probes" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_probes" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Way" INTEGER NOT NULL,
    "MessageId" TEXT NOT NULL,
    "Sender" TEXT NOT NULL,
    "Digest" BLOB NOT NULL,
    "State" INTEGER NOT NULL,
    "PlannedAt" INTEGER NOT NULL,
    "SentAt" INTEGER NULL,
    "ArrivedAt" INTEGER NULL,
    "Folder" TEXT NULL,
    "KeptAt" INTEGER NULL,
    "RemovedAt" INTEGER NULL,
    "Said" TEXT NULL,
    CONSTRAINT "FK_probes_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "surveys" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_surveys" PRIMARY KEY,
    "TakenAt" INTEGER NOT NULL,
    "Messages" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "Folders" INTEGER NOT NULL,
    "ToMessages" INTEGER NOT NULL,
    "Whole" INTEGER NOT NULL,
    "InventoryJson" TEXT NOT NULL,
    "ForecastsPacked" BLOB NULL,
    CONSTRAINT "FK_surveys_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "take_backs" (
    "MoveId" INTEGER NOT NULL CONSTRAINT "PK_take_backs" PRIMARY KEY,
    "AskedAt" INTEGER NOT NULL,
    "AskedBy" TEXT NOT NULL,
    "Account" TEXT NOT NULL,
    "IsCheck" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    CONSTRAINT "FK_take_backs_moves_MoveId" FOREIGN KEY ("MoveId") REFERENCES "moves" ("Id") ON DELETE CASCADE
);


CREATE TABLE "sessions" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_sessions" PRIMARY KEY AUTOINCREMENT,
    "Hash" TEXT NOT NULL,
    "TokenId" INTEGER NOT NULL,
    "CreatedAt" INTEGER NOT NULL,
    "EndsAt" INTEGER NOT NULL,
    CONSTRAINT "FK_sessions_tokens_TokenId" FOREIGN KEY ("TokenId") REFERENCES "tokens" ("Id") ON DELETE CASCADE
);


CREATE TABLE "collection_items" (
    "folder_id" INTEGER NOT NULL,
    "number" INTEGER NOT NULL,
    "from_path" TEXT NOT NULL,
    "from_tag" INTEGER NULL,
    "from_digest" INTEGER NULL,
    "to_path" TEXT NULL,
    "to_tag" BLOB NULL,
    "to_digest" INTEGER NULL,
    "shapings" INTEGER NOT NULL,
    "is_foreign" INTEGER NOT NULL,
    CONSTRAINT "PK_collection_items" PRIMARY KEY ("folder_id", "number"),
    CONSTRAINT "FK_collection_items_ledger_folders_folder_id" FOREIGN KEY ("folder_id") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "collection_pages" (
    "FolderId" INTEGER NOT NULL CONSTRAINT "PK_collection_pages" PRIMARY KEY,
    "From" TEXT NOT NULL,
    "To" TEXT NULL,
    "FromToken" TEXT NULL,
    "FromTag" TEXT NULL,
    "ToToken" TEXT NULL,
    "ToTag" TEXT NULL,
    "HasStrangers" INTEGER NOT NULL,
    "SchedulingIsOff" INTEGER NOT NULL,
    "Lost" TEXT NULL,
    CONSTRAINT "FK_collection_pages_ledger_folders_FolderId" FOREIGN KEY ("FolderId") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "differences" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_differences" PRIMARY KEY AUTOINCREMENT,
    "FolderId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Landed" INTEGER NOT NULL,
    "What" TEXT NOT NULL,
    "Size" INTEGER NOT NULL,
    "Received" TEXT NULL,
    "Subject" TEXT NOT NULL,
    "Sender" TEXT NOT NULL,
    "State" INTEGER NOT NULL,
    "DecidedBy" TEXT NULL,
    "SeenAt" INTEGER NOT NULL,
    CONSTRAINT "FK_differences_ledger_folders_FolderId" FOREIGN KEY ("FolderId") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "item_forms" (
    "FolderId" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Before" BLOB NOT NULL,
    "After" BLOB NULL,
    CONSTRAINT "PK_item_forms" PRIMARY KEY ("FolderId", "Number"),
    CONSTRAINT "FK_item_forms_ledger_folders_FolderId" FOREIGN KEY ("FolderId") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "item_keys" (
    "folder_id" INTEGER NOT NULL,
    "number" INTEGER NOT NULL,
    "move_id" INTEGER NOT NULL,
    "low" INTEGER NOT NULL,
    "high" INTEGER NOT NULL,
    CONSTRAINT "PK_item_keys" PRIMARY KEY ("folder_id", "number"),
    CONSTRAINT "FK_item_keys_ledger_folders_folder_id" FOREIGN KEY ("folder_id") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "item_originals" (
    "FolderId" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Octets" BLOB NOT NULL,
    CONSTRAINT "PK_item_originals" PRIMARY KEY ("FolderId", "Number"),
    CONSTRAINT "FK_item_originals_ledger_folders_FolderId" FOREIGN KEY ("FolderId") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "ledger_items" (
    "folder_id" INTEGER NOT NULL,
    "number" INTEGER NOT NULL,
    "landed" INTEGER NULL,
    "outcome" INTEGER NOT NULL,
    "gone" INTEGER NOT NULL,
    "flags" INTEGER NOT NULL,
    "size" INTEGER NOT NULL,
    CONSTRAINT "PK_ledger_items" PRIMARY KEY ("folder_id", "number"),
    CONSTRAINT "FK_ledger_items_ledger_folders_folder_id" FOREIGN KEY ("folder_id") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "left_behind" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_left_behind" PRIMARY KEY AUTOINCREMENT,
    "FolderId" INTEGER NOT NULL,
    "Number" INTEGER NOT NULL,
    "Cause" INTEGER NOT NULL,
    "Whom" TEXT NOT NULL,
    "What" TEXT NOT NULL,
    "Code" TEXT NULL,
    "Size" INTEGER NOT NULL,
    "Received" TEXT NOT NULL,
    "Subject" TEXT NOT NULL,
    "Sender" TEXT NOT NULL,
    "State" INTEGER NOT NULL,
    "Messages" INTEGER NOT NULL,
    "Help" TEXT NULL,
    "AcceptedBy" TEXT NULL,
    "AcceptedBecause" TEXT NULL,
    "Choice" INTEGER NULL,
    CONSTRAINT "FK_left_behind_ledger_folders_FolderId" FOREIGN KEY ("FolderId") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "unclaimed_messages" (
    "folder_id" INTEGER NOT NULL,
    "number" INTEGER NOT NULL,
    "size" INTEGER NOT NULL,
    "low" INTEGER NOT NULL,
    "high" INTEGER NOT NULL,
    "certain" INTEGER NOT NULL,
    CONSTRAINT "PK_unclaimed_messages" PRIMARY KEY ("folder_id", "number"),
    CONSTRAINT "FK_unclaimed_messages_ledger_folders_folder_id" FOREIGN KEY ("folder_id") REFERENCES "ledger_folders" ("Id") ON DELETE CASCADE
);


CREATE TABLE "pass_legs" (
    "PassId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "MoveId" INTEGER NOT NULL,
    "EndedAt" INTEGER NULL,
    "Stopped" INTEGER NOT NULL,
    "Fault" TEXT NULL,
    "Expected" INTEGER NOT NULL,
    "Carried" INTEGER NOT NULL,
    "Paired" INTEGER NOT NULL,
    "Excluded" INTEGER NOT NULL,
    "LeftBehind" INTEGER NOT NULL,
    "Octets" INTEGER NOT NULL,
    "FlagsChanged" INTEGER NOT NULL,
    "Moved" INTEGER NOT NULL,
    "Removed" INTEGER NOT NULL,
    "Updated" INTEGER NOT NULL,
    "Looked" INTEGER NOT NULL,
    "Differences" INTEGER NOT NULL,
    "Folder" TEXT NULL,
    CONSTRAINT "PK_pass_legs" PRIMARY KEY ("PassId", "Kind"),
    CONSTRAINT "FK_pass_legs_passes_PassId" FOREIGN KEY ("PassId") REFERENCES "passes" ("Id") ON DELETE CASCADE
);


CREATE TABLE "take_back_folders" (
    "Id" INTEGER NOT NULL CONSTRAINT "PK_take_back_folders" PRIMARY KEY AUTOINCREMENT,
    "MoveId" INTEGER NOT NULL,
    "Kind" INTEGER NOT NULL,
    "Place" TEXT NOT NULL,
    "State" INTEGER NOT NULL,
    CONSTRAINT "FK_take_back_folders_take_backs_MoveId" FOREIGN KEY ("MoveId") REFERENCES "take_backs" ("MoveId") ON DELETE CASCADE
);


CREATE TABLE "take_back_items" (
    "folder_id" INTEGER NOT NULL,
    "page" INTEGER NOT NULL,
    "number" INTEGER NOT NULL,
    "state" INTEGER NOT NULL,
    "because" INTEGER NULL,
    "title" TEXT NULL,
    CONSTRAINT "PK_take_back_items" PRIMARY KEY ("folder_id", "page", "number"),
    CONSTRAINT "FK_take_back_items_take_back_folders_folder_id" FOREIGN KEY ("folder_id") REFERENCES "take_back_folders" ("Id") ON DELETE CASCADE
);


CREATE INDEX "IX_arrivals_MoveId" ON "arrivals" ("MoveId");


CREATE INDEX "IX_collection_items_folder_id_shapings" ON "collection_items" ("folder_id", "shapings") WHERE shapings <> 0;


CREATE UNIQUE INDEX "IX_consents_Service_Account_Origin" ON "consents" ("Service", "Account", "Origin");


CREATE UNIQUE INDEX "IX_correspondents_MoveId_Address" ON "correspondents" ("MoveId", "Address");


CREATE INDEX "IX_crossing_acts_MoveId_Id" ON "crossing_acts" ("MoveId", "Id");


CREATE INDEX "IX_crossings_FaultCause" ON "crossings" ("FaultCause") WHERE "FaultCause" IS NOT NULL;


CREATE INDEX "IX_crossings_SettledAt" ON "crossings" ("SettledAt");


CREATE UNIQUE INDEX "IX_decisions_Scope_Place_Code" ON "decisions" ("Scope", "Place", "Code");


CREATE UNIQUE INDEX "IX_differences_FolderId_Kind_Number_Landed" ON "differences" ("FolderId", "Kind", "Number", "Landed");


CREATE INDEX "IX_differences_State" ON "differences" ("State");


CREATE UNIQUE INDEX "IX_errands_Key" ON "errands" ("Key");


CREATE UNIQUE INDEX "IX_errands_Name" ON "errands" ("Name");


CREATE UNIQUE INDEX "IX_flag_sets_Written" ON "flag_sets" ("Written");


CREATE INDEX "IX_item_keys_move_id_low" ON "item_keys" ("move_id", "low");


CREATE UNIQUE INDEX "IX_item_names_Service_Account_Name" ON "item_names" ("Service", "Account", "Name");


CREATE INDEX "IX_journal_Batch_Id" ON "journal" ("Batch", "Id");


CREATE INDEX "IX_journal_MoveId_Id" ON "journal" ("MoveId", "Id");


CREATE INDEX "IX_late_mail_MoveId_At" ON "late_mail" ("MoveId", "At");


CREATE UNIQUE INDEX "IX_ledger_folders_MoveId_Kind_From_To" ON "ledger_folders" ("MoveId", "Kind", "From", "To");


CREATE UNIQUE INDEX "IX_left_behind_FolderId_Number" ON "left_behind" ("FolderId", "Number");


CREATE INDEX "IX_left_behind_State" ON "left_behind" ("State");


CREATE INDEX "IX_legs_FaultCause" ON "legs" ("FaultCause") WHERE "FaultCause" IS NOT NULL;


CREATE INDEX "IX_legs_InStepSince" ON "legs" ("InStepSince");


CREATE UNIQUE INDEX "IX_moves_Batch_FromAccount" ON "moves" ("Batch", "FromAccount");


CREATE INDEX "IX_moves_Condition" ON "moves" ("Condition");


CREATE INDEX "IX_moves_DueAt" ON "moves" ("DueAt") WHERE "Turn" IS NULL AND "DueAt" IS NOT NULL;


CREATE INDEX "IX_moves_FaultCause" ON "moves" ("FaultCause") WHERE "FaultCause" IS NOT NULL;


CREATE INDEX "IX_moves_LeaseUntil" ON "moves" ("LeaseUntil") WHERE "LeaseUntil" IS NOT NULL;


CREATE INDEX "IX_moves_Turn_Id_Batch" ON "moves" ("Turn", "Id", "Batch") WHERE "Turn" IS NOT NULL;


CREATE INDEX "IX_moves_boards" ON "moves" ("Batch", "Stage", "Condition", "WaitsFor", "Until", "Found", "Carried", "Paired", "Excluded", "LeftBehind", "OpenLeftBehind", "Undecided", "Octets");


CREATE INDEX "IX_notices_Batch_Id" ON "notices" ("Batch", "Id");


CREATE INDEX "IX_notices_EndedAt" ON "notices" ("EndedAt");


CREATE UNIQUE INDEX "IX_notices_Key" ON "notices" ("Key");


CREATE INDEX "IX_notices_MessageId" ON "notices" ("MessageId");


CREATE INDEX "IX_notices_State_Way_DueAt" ON "notices" ("State", "Way", "DueAt");


CREATE INDEX "IX_pass_legs_EndedAt" ON "pass_legs" ("EndedAt");


CREATE INDEX "IX_pass_legs_MoveId_Kind_PassId" ON "pass_legs" ("MoveId", "Kind", "PassId");


CREATE INDEX "IX_passes_EndedAt" ON "passes" ("EndedAt");


CREATE INDEX "IX_passes_MoveId" ON "passes" ("MoveId");


CREATE INDEX "IX_probes_MoveId_Id" ON "probes" ("MoveId", "Id");


CREATE UNIQUE INDEX "IX_sessions_Hash" ON "sessions" ("Hash");


CREATE INDEX "IX_sessions_TokenId" ON "sessions" ("TokenId");


CREATE UNIQUE INDEX "IX_take_back_folders_MoveId_Kind_Place" ON "take_back_folders" ("MoveId", "Kind", "Place");


CREATE INDEX "IX_take_back_items_folder_id_state" ON "take_back_items" ("folder_id", "state");


CREATE UNIQUE INDEX "IX_tokens_Hash" ON "tokens" ("Hash");


