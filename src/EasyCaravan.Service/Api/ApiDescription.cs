using System.Collections.Frozen;
using System.Reflection;
using EasyCaravan.Contract;
using Microsoft.AspNetCore.Mvc.Infrastructure;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;

namespace EasyCaravan.Service.Api;

/// <summary>What the description of the API says beside its calls: how to sign in, how errors look, and a name for each call.</summary>
internal static class ApiDescription
{
    private const string Bearer = "token";

    /// <summary>A parameter of one name means the same in every call.</summary>
    private static readonly FrozenDictionary<string, string> Parameters = new Dictionary<string, string>
    {
        ["accepted"] = "Also what somebody has accepted to stay behind. Default: only what is undecided.",
        ["about"] = "What is told.",
        ["account"] = "The from account, by which a move is known within its batch.",
        ["ahead"] = "Days from today on, 1 to 400. Default: 28.",
        ["address"] = "A mail address; its domain is asked which services it has.",
        ["batch"] = "The batch's name in the plan.",
        ["by"] = "Only what people asked for, or what the service did by itself. Default: both.",
        ["code"] = "Only findings of this code, as the list of findings has it.",
        ["condition"] = "Only moves in this condition. Default: in any.",
        ["cursor"] = "'next' of the page before. Default: the first page.",
        ["withinDays"] = "Days back from now, 1 to 3650. Default: 30.",
        ["days"] = "Days back from now, 1 to 400. Default: 60.",
        ["decided"] = "Also what somebody has decided about. Default: only what is undecided.",
        ["descending"] = "The largest, last or newest first. Default: false.",
        ["dryRun"] = "Says what would change, and changes nothing. Default: false.",
        ["errand"] = "The errand's name, which is its batch's too.",
        ["file"] = "The path of a file below the plan's folder, such as lists/aoife.marsh@saltmarsh.example.csv.",
        ["id"] = "The consent, as its beginning answered.",
        ["If-Match"] =
            "Only in place of this plan: the ETag of the plan in force as it was read. If another is in force by now, the answer is 412 "
            + "and nothing changes. Default: in place of any plan.",
        ["item"] = "The number of an item that was left behind, as the list of them has it.",
        ["language"] = "en, de or fr. Default: the person's own, or as the plan says.",
        ["limit"] = "Rows of a page; too few or too many are taken as the nearest that is possible. Default: 200.",
        ["move"] = "Only this move: its from account. Default: all moves of the batch.",
        ["name"] = "The service's name in the plan.",
        ["needsYou"] = "Only moves that somebody has to see to. Default: false.",
        ["only"] = "Only contacts and events of which this would become. Default: all.",
        ["token"] = "The token's name.",
        ["parcel"] = "The parcel's name: that of its files, without part and ending.",
        ["part"] = "A file of a parcel, by its name.",
        ["at"] = "How many octets of the file have arrived, as the caller thinks.",
        ["length"] = "Octets of the whole file.",
        ["place"] = "The folder, below the service's folder of files.",
        ["past"] = "Days before today, 0 to 400. Default: 7.",
        ["route"] = "The route's name in the plan.",
        ["search"] = "Only rows with this in what people read in them: names, accounts, notes, texts. Upper and lower case are the same.",
        ["since"] = "Only entries from this moment on, such as 2027-02-12T18:00:00Z. Default: from the first.",
        ["skip"] =
            "Rows of the list to be left out before the page, for a place in its middle. Not together with a cursor, which counts alone. "
            + "Default: 0.",
        ["sort"] = "By what the list is put in order. Default: as the rosters have it.",
        ["state"] = "Only notices in this state. Default: in any.",
        ["stage"] = "Only moves at this stage. Default: at any.",
        ["until"] = "Only entries before this moment. Default: to the last.",
        ["whatIf"] =
            "A change that is tried on the forecast, at most 8: windows=all, windows=mon-fri 18:00-08:00, pauses=none, "
            + "connections.SERVICE=NUMBER, at-once=NUMBER (1 to 64) or people=NUMBER.",
    }.ToFrozenDictionary();

    public static void Configure(OpenApiOptions options)
    {
        options.AddDocumentTransformer(DescribeAsync);
        options.AddOperationTransformer(NameAsync);
    }

    private static async Task DescribeAsync(OpenApiDocument document, OpenApiDocumentTransformerContext context, CancellationToken cancel)
    {
        document.Info.Title = "Easy Caravan";
        document.Info.Description =
            "Plans and runs batch moves of people's mail, contacts and calendars between services. Every error has one shape, ErrorAnswer: "
            + "what happened ('detail'), to whom, a stable word for programs ('cause') and what to do ('remedy'). Long lists are given "
            + "page by page: hand 'next' back as 'cursor'. Asking again for what is already so changes nothing, so every write may be "
            + "repeated.";
        document.Servers = [];
        document.Components ??= new OpenApiComponents();
        document.Components.SecuritySchemes ??= new Dictionary<string, IOpenApiSecurityScheme>();
        document.Components.SecuritySchemes[Bearer] = new OpenApiSecurityScheme
        {
            Type = SecuritySchemeType.Http,
            Scheme = "bearer",
            Description = "A token of the service: the first is in admin.token of its data folder.",
        };
        document.Security = [new OpenApiSecurityRequirement { [new OpenApiSecuritySchemeReference(Bearer, document)] = [] }];
        // Met only where it may be null, which leaves its explanation out.
        foreach (
            var optional in new[]
            {
                typeof(FolderUse),
                typeof(MendWord),
                typeof(ConfirmationWord),
                typeof(NoteWord),
                typeof(CrossingGoalWord),
                typeof(CrossingStepWord),
                typeof(SideWord),
            }
        )
            if (document.Components.Schemas?.TryGetValue(optional.Name, out var words) == true)
                words.Description ??= (await context.GetOrCreateSchemaAsync(optional, null, cancel)).Description;
        if (document.Components.Schemas?.TryGetValue(nameof(Stream), out var octets) == true)
            octets.Description ??= "Octets, as they are.";
        document.AddComponent(nameof(ErrorAnswer), await context.GetOrCreateSchemaAsync(typeof(ErrorAnswer), null, cancel));
    }

    /// <summary>The name of a call is made of its group and what it does there, such as <c>batchMoves</c>.</summary>
    private static async Task NameAsync(OpenApiOperation operation, OpenApiOperationTransformerContext context, CancellationToken cancel)
    {
        var metadata = context.Description.ActionDescriptor.EndpointMetadata;
        if (metadata.OfType<MethodInfo>().FirstOrDefault() is { DeclaringType: { } type } method)
        {
            var group = type.Name.Replace("Api", "", StringComparison.Ordinal);
            var verb = method.Name.Replace("Async", "", StringComparison.Ordinal);
            operation.OperationId = char.ToLowerInvariant(group[0]) + group[1..] + verb;
        }
        operation.Description ??= operation.Summary;
        foreach (var parameter in operation.Parameters ?? [])
        {
            if (parameter is not OpenApiParameter { Name: { } name } known)
                continue;
            known.Description ??= Parameters.GetValueOrDefault(name);
            if (WordsOf(context.Description, name) is { } words)
            {
                context.Document!.AddComponent(words.Name, await context.GetOrCreateSchemaAsync(words, null, cancel));
                known.Schema = new OpenApiSchemaReference(words.Name, context.Document);
            }
        }
        operation.Responses ??= [];
        operation.Responses["default"] = new OpenApiResponse
        {
            Description = "It could not be done: what happened, and what to do.",
            Content = new Dictionary<string, OpenApiMediaType>
            {
                ["application/problem+json"] = new() { Schema = new OpenApiSchemaReference(nameof(ErrorAnswer), context.Document) },
            },
        };
    }

    private static Type? WordsOf(Microsoft.AspNetCore.Mvc.ApiExplorer.ApiDescription call, string parameter) =>
        call
            .ParameterDescriptions.Where(p => p.Name == parameter)
            .Select(p => p.ParameterDescriptor)
            .OfType<IParameterInfoParameterDescriptor>()
            .Select(p => p.ParameterInfo.GetCustomAttribute<WordOfAttribute>()?.Words)
            .FirstOrDefault();
}
