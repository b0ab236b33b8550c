namespace EasyCaravan.Core.Formats.Csv;

/// <summary>What people and programs write above the columns of a list of contacts, in several languages, without accents.</summary>
internal static class ColumnWords
{
    private static readonly Dictionary<string, ContactPlace> s_places = Table(
        ' ',
        (ContactPlace.Home, "home private personal privat privee prive domicile casa particular particulier priv"),
        (
            ContactPlace.Work,
            "work business office bureau buro geschaftlich geschaeftlich dienst dienstlich trabajo travail lavoro werk pro"
        ),
        (ContactPlace.Mobile, "mobile cell cellphone cellular handy mobil portable movil celular cellulare gsm mobiel mobiltelefon mob"),
        (ContactPlace.Fax, "fax telefax")
    );

    /// <summary>They tell one of several columns from the others, and nothing about what is in it.</summary>
    private static readonly HashSet<string> s_filling = ["other", "value", "primary", "main", "default", "no", "nr"];

    private static readonly Dictionary<string, ContactField> s_fields = Table(
        '|',
        (
            ContactField.Name,
            "name|full name|fullname|display name|displayname|contact|contact name|anzeigename|nom complet|nombre completo|nome completo"
                + "|volledige naam|naam|person|nom|nombre|nome"
        ),
        (ContactField.Given, "first name|firstname|first|given name|givenname|forename|vorname|prenom|voornaam|primer nombre"),
        (ContactField.Middle, "middle name|middlename|additional name|second name|zweiter vorname"),
        (
            ContactField.Family,
            "last name|lastname|last|surname|family name|familyname|nachname|familienname|apellido|apellidos|cognome|achternaam|sobrenome"
                + "|nom de famille"
        ),
        (ContactField.Prefix, "prefix|name prefix|salutation|anrede|civilite|aanhef|honorific"),
        (ContactField.Suffix, "suffix|name suffix"),
        (ContactField.Nickname, "nickname|nick name|spitzname|surnom|apodo|alias|bijnaam"),
        (
            ContactField.Organisation,
            "organisation|organization|company|company name|organization name|organisation name|firma|unternehmen|societe|entreprise"
                + "|empresa|azienda|ditta|bedrijf|employer|arbeitgeber|org"
        ),
        (ContactField.Department, "department|organization department|abteilung|departement|afdeling|reparto|departamento|dept|section"),
        (
            ContactField.JobTitle,
            "job title|jobtitle|job|position|role|organization title|funktion|beruf|fonction|poste|cargo|puesto|functie|title|titel|titre"
        ),
        (
            ContactField.Email,
            "email|e mail|mail|email address|e mail address|mail address|e mail adresse|email adresse|mailadresse|courriel|correo"
                + "|correo electronico|adresse e mail|adresse email|adresse mail|posta elettronica|e post|emailadres|e mailadres|emails"
        ),
        (
            ContactField.Phone,
            "phone|telephone|tel|phone number|telephone number|telefon|telefonnummer|rufnummer|telefono|telefoon|telefoonnummer|telefone"
                + "|numero de telephone|numero|number|phones|nummer"
        ),
        (
            ContactField.Street,
            "street|street address|address|address line|address street|strasse|strase|adresse|anschrift|rue|direccion|calle|via|indirizzo"
                + "|adres|straat|endereco|street and number"
        ),
        (
            ContactField.City,
            "city|town|locality|address city|ort|stadt|wohnort|ville|ciudad|citta|plaats|woonplaats|cidade|localidad|town city"
        ),
        (ContactField.Region, "state|region|province|county|address region|bundesland|provincia|provincie|estado|state province"),
        (
            ContactField.Postcode,
            "zip|zip code|zipcode|postal code|postcode|post code|address postal code|plz|postleitzahl|code postal|codigo postal|cap"
                + "|eircode"
        ),
        (ContactField.Country, "country|address country|land|pays|pais|paese|country region|staat"),
        (ContactField.Website, "website|web site|web page|webpage|url|homepage|web|site web|site|sitio web|internet|www"),
        (
            ContactField.Birthday,
            "birthday|birth date|birthdate|date of birth|geburtstag|geburtsdatum|date de naissance|fecha de nacimiento|cumpleanos"
                + "|compleanno|data di nascita|geboortedatum|dob|born"
        ),
        (
            ContactField.Note,
            "note|notes|comment|comments|remark|remarks|notiz|notizen|bemerkung|bemerkungen|kommentar|remarque|remarques|notas|nota"
                + "|opmerking|opmerkingen|description"
        ),
        (
            ContactField.Groups,
            "category|categories|group|groups|group membership|tag|tags|labels|kategorie|kategorien|gruppe|gruppen|groupe|groupes"
        ),
        (ContactField.Uid, "uid|unique id")
    );

    /// <summary>In these languages one word stands for the whole name, unless another column has the other part of it.</summary>
    private static readonly HashSet<string> s_familyBesideGiven = ["name", "nom", "naam"];

    private static readonly HashSet<string> s_givenBesideFamily = ["nombre", "nome", "name", "first"];

    /// <summary>What a header says; null: nothing that is known.</summary>
    /// <param name="number">Of several columns of the same kind, such as 2 in <c>Phone 2</c>.</param>
    public static ColumnUse? Read(string header, out int number, out ContactField typeOf)
    {
        (number, typeOf) = (0, ContactField.Leave);
        var place = ContactPlace.Any;
        var rest = new List<string>();
        foreach (var word in PlainWords.Of(header))
            if (int.TryParse(word, System.Globalization.NumberStyles.None, null, out var n))
                number = n;
            else if (s_places.TryGetValue(word, out var said))
                // Of 'home fax' the fax says more.
                place = said > place ? said : place;
            else if (!s_filling.Contains(word))
            {
                var letters = word.TrimEnd([.. "0123456789"]);
                if (letters.Length < word.Length && int.TryParse(word[letters.Length..], out var behind))
                    number = behind;
                rest.Add(letters);
            }
        if (rest is [.. var before, "type" or "label"] && Field(before) is { } named)
        {
            typeOf = named;
            return new ColumnUse(ContactField.Type);
        }
        if (rest.Count == 0)
            return place is ContactPlace.Mobile or ContactPlace.Fax ? new ColumnUse(ContactField.Phone, place) : null;
        if (Field(rest) is not { } field)
            return null;
        var use = new ColumnUse(field, place);
        return ColumnUse.All.Contains(use) ? use : new ColumnUse(field);
    }

    public static ContactPlace PlaceOf(string text) =>
        PlainWords.Of(text).Select(w => s_places.GetValueOrDefault(w)).FirstOrDefault(p => p is not ContactPlace.Any);

    public static bool IsFamilyBesideGiven(string header) => s_familyBesideGiven.Contains(string.Join(' ', PlainWords.Of(header)));

    public static bool IsGivenBesideFamily(string header) => s_givenBesideFamily.Contains(string.Join(' ', PlainWords.Of(header)));

    private static ContactField? Field(IEnumerable<string> words) =>
        s_fields.TryGetValue(string.Join(' ', words), out var field) ? field : null;

    private static Dictionary<string, T> Table<T>(char between, params (T Value, string Words)[] lines) =>
        lines.SelectMany(l => l.Words.Split(between).Select(w => (w, l.Value))).ToDictionary(p => p.w, p => p.Value);
}
