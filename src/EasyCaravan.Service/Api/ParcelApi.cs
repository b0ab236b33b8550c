using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Parcels;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Packing accounts into files and putting them into accounts, as batches of their own.</summary>
internal static class ParcelApi
{
    /// <summary>Where parcels lie unless somebody says otherwise.</summary>
    private const string UsualPlace = "parcels";

    private const int MostAccounts = 50_000;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/parcels", ListAsync).WithSummary("The parcels in all places that the plan and errands name");
        api.MapPost("/parcels/pack", PackAsync)
            .WithSummary("Packs accounts, each into a parcel of its own, and keeps them in step from then on");
        api.MapPost("/parcels/open", OpenAsync).WithSummary("Puts a parcel into an account; what is there already is paired");
        api.MapGet("/errands", ErrandsAsync).WithSummary("The batches that packing and opening made");
        api.MapDelete("/errands/{errand}", RemoveAsync).WithSummary("Takes an errand away that has not begun");
    }

    private static async Task<Ok<List<ParcelView>>> ListAsync(
        CurrentPlan current,
        Errands errands,
        ParcelTerms terms,
        ParcelPlaces places,
        ParcelListings listings,
        Database database,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        var packed = (await errands.ListAsync(cancel)).Where(e => e.Kind is ErrandKind.Pack).ToDictionary(e => e.Name);
        await using var db = database.Read();
        var names = packed.Keys.ToList();
        var moves = await db.Moves.Where(m => names.Contains(m.Batch)).Select(m => new { m.Batch, m.ToAccount }).ToListAsync(cancel);
        // Under which place and name each errand's parcels lie: an encrypted one does not say whose it is.
        var known = moves
            .Select(m => (Errand: packed[m.Batch], m.ToAccount, Service: plan?.Services.FirstOrDefault(s => s.Name == m.Batch)))
            .Where(m => m.Service?.Parcels is not null)
            .ToLookup(m => (m.Service!.Parcels!.Folder, ParcelPlaces.NameOf(m.Service, m.ToAccount, "")));
        var own = await terms.ListAsync(cancel);
        var views = new List<ParcelView>();
        foreach (var place in PlacesOf(plan))
        {
            var folder = places.FolderOf(place, place);
            foreach (var found in listings.In(folder))
            {
                var (errand, account, _) = known[(place, found.Name)].FirstOrDefault();
                views.Add(
                    new ParcelView(
                        place,
                        found.Name,
                        Path.Combine(folder, ParcelName.OfPart(found.Name, 1)),
                        found.Account ?? account,
                        found.Service,
                        found.Parts,
                        found.Octets,
                        found.Parts == 0 ? null : found.ChangedAt,
                        found.IsEncrypted,
                        found.IsUnderWay,
                        errand?.Name,
                        own.TryGetValue((place, found.Name), out var until) ? until : MoveViews.Time(errand?.KeepUntil),
                        found.Trouble
                    )
                );
            }
        }
        return TypedResults.Ok(views);
    }

    /// <summary>Where parcels lie that the service knows of.</summary>
    internal static IEnumerable<string> PlacesOf(Plan? plan) =>
        (plan?.Services ?? []).Select(s => s.Parcels?.Folder).OfType<string>().Append(UsualPlace).Distinct();

    private static async Task<Results<Ok<ErrandView>, ProblemHttpResult>> PackAsync(
        PackRequest request,
        CurrentPlan current,
        ErrandAccounts accounts,
        ErrandStart start,
        ParcelPlaces places,
        ParcelListings listings,
        ISecrets secrets,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if ((await current.GetAsync(cancel)).Plan is not { } plan)
            return PlanApi.NoPlan();
        if ((request.Accounts is null) == (request.Batch is null))
            return Problems.Invalid("It is not clear who is to be packed.", "Name accounts, or a batch");
        var (who, problem) = await WhoAsync(plan, request, accounts, cancel);
        if (problem is not null || who is null)
            return problem!;
        if (who.Select(w => w.Service).Distinct().ToList() is not [var from])
            return Problems.Invalid("The accounts are at several services.", "Pack those of each service by themselves");
        if (who.Count > MostAccounts)
            return Problems.Invalid($"{who.Count} accounts are too many at once.", $"Pack at most {MostAccounts} at a time");
        var place = (request.Place ?? UsualPlace).TrimEnd('/');
        var choice = new ErrandText.Choice(request.Kinds, request.Folders, request.Leave, request.Since, request.Before, request.Largest);
        var sealedPassword = request.Password is { Length: > 0 } password ? secrets.Seal(password) : null;
        return await start.RunAsync(
            ErrandKind.Pack,
            request.Key,
            name => ErrandText.Pack(name, from, place, FreeName(places, listings, place, who), request.PartSize, choice),
            [
                .. who.Select(w => new MoveRow
                {
                    Batch = "",
                    Name = w.Name,
                    FromAccount = w.Account,
                    FromLogin = w.Login,
                    FromSecret = w.Secret,
                    FromSecretReference = w.SecretReference,
                    ToAccount = w.Account,
                    ToLogin = w.Account,
                    ToSecret = sealedPassword,
                }),
            ],
            request.KeepUntil,
            $"asked for {who.Count} account(s) of {from} to be packed into {place}",
            starts: true,
            context.User.Identity!.Name!,
            cancel
        );
    }

    private static async Task<(IReadOnlyList<ErrandAccount>? Who, ProblemHttpResult? Problem)> WhoAsync(
        Plan plan,
        PackRequest request,
        ErrandAccounts accounts,
        CancellationToken cancel
    )
    {
        if (request.Batch is { } batch)
            return await accounts.OfBatchAsync(plan, batch, request.Side ?? SideWord.From, cancel);
        var who = new List<ErrandAccount>();
        foreach (var account in request.Accounts!.Distinct(StringComparer.OrdinalIgnoreCase))
        {
            var (found, problem) = await accounts.FindAsync(plan, account, request.Service, prefersFrom: true, cancel);
            if (problem is not null)
                return (null, problem);
            who.Add(found!);
        }
        return who.Count > 0 ? (who, null) : (null, Problems.Invalid("Nobody is to be packed.", "Name at least one account"));
    }

    /// <summary>With today's date, and a number behind it where one of them was packed today already.</summary>
    private static string FreeName(ParcelPlaces places, ParcelListings listings, string place, IReadOnlyList<ErrandAccount> who)
    {
        var folder = places.FolderOf(place, place);
        var taken = listings.In(folder).Select(l => l.Name).ToHashSet();
        var today = places.Today;
        for (var n = 1; ; n++)
        {
            var pattern = n == 1 ? $"{{account}} {today}" : string.Create(CultureInfo.InvariantCulture, $"{{account}} {today} ({n})");
            if (!who.Any(w => taken.Contains(SafeName.Of(pattern.Replace("{account}", w.Account, StringComparison.Ordinal)))))
                return pattern;
        }
    }

    private static async Task<Results<Ok<ErrandView>, ProblemHttpResult>> OpenAsync(
        OpenRequest request,
        CurrentPlan current,
        ErrandAccounts accounts,
        ErrandStart start,
        ParcelPlaces places,
        ISecrets secrets,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if ((await current.GetAsync(cancel)).Plan is not { } plan)
            return PlanApi.NoPlan();
        var place = (request.Place ?? UsualPlace).TrimEnd('/');
        var name = ParcelName.Parse(request.Name)?.Name ?? request.Name;
        var (into, problem) = await accounts.FindAsync(plan, request.Into, request.Service, prefersFrom: false, cancel);
        if (problem is not null)
            return problem;
        string account;
        IReadOnlyList<MoveKind> held;
        try
        {
            if (name != SafeName.Of(name))
                return Problems.Invalid($"'{request.Name}' is not the name of a parcel.", "See 'caravan parcel list'");
            using var parcel = ParcelFiles.Open(places.FolderOf(place, place), name, request.Password, onlyComplete: true, request.AsOf);
            if (parcel.Parts.Count == 0)
                return Problems.NotFound($"There is no complete parcel {name} in {place}.", "See 'caravan parcel list'");
            account = parcel.Parts[^1].Header.Account;
            held = KindsIn(parcel.State);
        }
        catch (ParcelException e) when (e.Cause is ParcelCause.WrongPassword)
        {
            return Problems.Refused(
                new Fault(Cause.SignInRefused, name, e.Message) { Help = "Give the password with which it was packed" }
            );
        }
        catch (ParcelException e)
        {
            return Problems.Refused(new Fault(Cause.FileDamaged, name, e.Message));
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
        var isOwn = account.Equals(into!.Account, StringComparison.OrdinalIgnoreCase);
        if (!isOwn && !account.Equals(request.ConfirmAccount, StringComparison.OrdinalIgnoreCase))
            return Problems.Refused(
                $"The parcel holds the account {account}, and {into.Account} is another one.",
                $"If it shall go there all the same, say whose it is: --whose {account}"
            );
        var reachable = plan.Services.First(s => s.Name == into.Service).Kinds.Select(MoveViews.WordOf).ToList();
        IReadOnlyList<MoveKind> kinds = request.Kinds ?? [.. held.Where(reachable.Contains)];
        if (kinds.FirstOrDefault(k => !held.Contains(k)) is var missing && kinds.Any(k => !held.Contains(k)))
            return Problems.Invalid(
                $"The parcel holds no {KebabWord.Of(missing)}.",
                $"It holds {string.Join(", ", held.Select(h => KebabWord.Of(h)))}"
            );
        var choice = new ErrandText.Choice(kinds, request.Folders, request.Leave, request.Since, request.Before, null);
        return await start.RunAsync(
            ErrandKind.Open,
            request.Key,
            errand => ErrandText.Open(errand, into.Service, place, request.AsOf, request.Under, request.Root, choice),
            [
                new MoveRow
                {
                    Batch = "",
                    Name = into.Name,
                    FromAccount = name,
                    FromLogin = name,
                    FromSecret = request.Password is { Length: > 0 } password ? secrets.Seal(password) : null,
                    ToAccount = into.Account,
                    ToLogin = into.Login,
                    ToSecret = into.Secret,
                    ToSecretReference = into.SecretReference,
                },
            ],
            null,
            $"asked for the parcel {name} of {account} to be put into {into.Account} at {into.Service}",
            starts: !request.DryRun,
            context.User.Identity!.Name!,
            cancel
        );
    }

    private static List<MoveKind> KindsIn(ParcelState state) =>
        [
            .. state.Collections.Values.Select(c => c.Kind).Distinct().Order(),
            .. state.Folders.Count > 0 ? [MoveKind.Mail] : Array.Empty<MoveKind>(),
        ];

    private static async Task<Ok<List<ErrandView>>> ErrandsAsync(
        Errands errands,
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        var rows = await errands.ListAsync(cancel);
        await using var db = database.Read();
        var people = await db.Moves.GroupBy(m => m.Batch).ToDictionaryAsync(g => g.Key, g => g.Count(), cancel);
        return TypedResults.Ok(rows.Select(r => ErrandStart.ViewOf(r, plan, people.GetValueOrDefault(r.Name))).ToList());
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> RemoveAsync(
        string errand,
        Errands errands,
        CurrentPlan current,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (await errands.RemoveAsync(errand, context.User.Identity!.Name!, cancel) is not { } removed)
            return Problems.NotFound($"There is no errand '{errand}'.", "See 'caravan parcel errands'");
        if (!removed)
            return Problems.Refused($"{errand} has begun.", $"What it did stays on record; to stop it: caravan withdraw {errand}");
        current.Forget();
        live.TouchPlan();
        return TypedResults.NoContent();
    }
}
